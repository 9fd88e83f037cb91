/** Checks one value of a file; says what was expected. */
export type Check = readonly [expected: string, fits: (value: unknown) => boolean]

export const TEXT: Check = ['a text', (value) => typeof value === 'string']
export const NAME: Check = ['a name', (value) => typeof value === 'string' && /^[^\s@]{1,400}$/u.test(value)]
export const POSITIVE: Check = ['a whole number from 1', (value) => Number.isSafeInteger(value) && (value as number) >= 1]
export const TIME: Check = [
  'a date and time in UTC',
  (value) => typeof value === 'string' && /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d{3})?Z$/.test(value),
]
export const RECORD: Check = ['an object', isRecord]
export const TEXTS: Check = ['a list of texts', (value) => Array.isArray(value) && value.every((item) => typeof item === 'string')]

export function isRecord(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

/**
 * What is wrong with data that must have these keys and no others; undefined for nothing.
 *
 * @param optional - Keys that may be absent.
 */
export function faultIn(
  data: unknown,
  required: Readonly<Record<string, Check>>,
  optional: Readonly<Record<string, Check>> = {},
): string | undefined {
  if (!isRecord(data)) return 'it is not an object'
  for (const key of Object.keys(data)) {
    if (!Object.hasOwn(required, key) && !Object.hasOwn(optional, key)) return `unknown key "${key}"`
  }
  for (const key of Object.keys(required)) if (!Object.hasOwn(data, key)) return `"${key}" is missing`
  for (const [key, [expected, fits]] of Object.entries({ ...required, ...optional })) {
    if (Object.hasOwn(data, key) && !fits(data[key])) return `"${key}" must be ${expected}`
  }
  return undefined
}

/** JSON of a file that somebody may have written by hand; a text says why it cannot be read. */
export function parsedJson(text: string): { readonly data: unknown } | string {
  try {
    return { data: JSON.parse(text) as unknown }
  } catch {
    return /^(?:<{7}|={7}|>{7})/m.test(text) ? 'it has the marks of a merge conflict' : 'it is not valid JSON'
  }
}
