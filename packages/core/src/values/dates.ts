/** Dates are ISO text inside the core: they compare, print and travel as they are. */

const DATE = /^\d{4}-\d{2}-\d{2}$/
const DATE_TIME = /^(\d{4}-\d{2}-\d{2})[Tt ](\d{2}):(\d{2})(?::(\d{2})(?:\.\d+)?)?([Zz]|[+-]\d{2}:?\d{2})?$/

export function isDate(text: string): boolean {
  if (text.length !== 10 || !DATE.test(text)) return false
  const day = Number(text.slice(8))
  return day > 0 && day <= 28 ? isDay(2000, Number(text.slice(5, 7)), 1) : isDay(Number(text.slice(0, 4)), Number(text.slice(5, 7)), day)
}

function isDay(year: number, month: number, day: number): boolean {
  if (month < 1 || month > 12 || day < 1) return false
  return day <= daysIn(year, month)
}

function daysIn(year: number, month: number): number {
  if (month === 2) return year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0) ? 29 : 28
  return month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31
}

/**
 * A date-time to seconds with the offset that was given, or undefined where the text is none.
 *
 * @example readDateTime('2026-11-23T14:05:09.500+01:00'); // => '2026-11-23T14:05:09+01:00'
 */
export function readDateTime(text: string): string | undefined {
  const match = DATE_TIME.exec(text)
  if (!match) return undefined
  const [, date = '', hour = '', minute = '', second = '00', offset = ''] = match
  if (!isDate(date) || Number(hour) > 23 || Number(minute) > 59 || Number(second) > 59) return undefined
  const zone = offset.toUpperCase().replace(/^([+-]\d{2})(\d{2})$/, '$1:$2')
  return `${date}T${hour}:${minute}:${second}${zone}`
}

/** Milliseconds since 1970, for comparing; a date is its midnight, a time without offset is read in UTC. */
export function instant(iso: string): number {
  if (iso.length === 10) return Date.parse(`${iso}T00:00:00Z`)
  return Date.parse(/(?:Z|[+-]\d{2}:\d{2})$/.test(iso) ? iso : `${iso}Z`)
}

/** Date parts as they are written in the text, independent of the reader's time zone. */
export interface DateParts {
  readonly year: number
  readonly month: number
  readonly day: number
  readonly hour: number
  readonly minute: number
}

export function dateParts(iso: string): DateParts {
  const part = (start: number, end: number) => Number(iso.slice(start, end))
  return { year: part(0, 4), month: part(5, 7), day: part(8, 10), hour: part(11, 13), minute: part(14, 16) }
}

const FIELD: Record<string, string> = {
  yyyy: '(?<y>\\d{4})',
  MM: '(?<m>\\d{2})',
  M: '(?<m>\\d{1,2})',
  dd: '(?<d>\\d{2})',
  d: '(?<d>\\d{1,2})',
}

/**
 * Reads a date in another order than ISO 8601 by its pattern; a time is not looked for.
 *
 * @example readByPattern('5.3.2026', 'd.M.yyyy'); // => '2026-03-05'
 */
export function readByPattern(text: string, pattern: string): string | undefined {
  const source = pattern.replace(/yyyy|MM?|dd?|[\\^$.*+?()[\]{}|/]/g, (part) => FIELD[part] ?? `\\${part}`)
  const match = new RegExp(`^${source}$`).exec(text)
  const groups = match?.groups
  if (!groups) return undefined
  const iso = `${groups['y'] ?? ''}-${(groups['m'] ?? '').padStart(2, '0')}-${(groups['d'] ?? '').padStart(2, '0')}`
  return isDate(iso) ? iso : undefined
}
