import { isDate } from './dates.js'
import { MONTHS } from './locale.js'

const MONTH = `(${MONTHS.map((month) => `${month.slice(0, 3)}(?:${month.slice(3)})?`).join('|')})\\.?`
const DAY = '(\\d{1,2})(?:st|nd|rd|th)?'
const YEAR = '(\\d{4})'

/** Dates as people write them in English, and in digits with the day first. */
const WRITINGS: readonly { readonly source: string; readonly parts: (m: readonly string[]) => readonly [string, string, string] }[] = [
  { source: `${YEAR}-(\\d{2})-(\\d{2})`, parts: ([y = '', m = '', d = '']) => [y, m, d] },
  { source: `${DAY}(?: of)? ${MONTH},? ${YEAR}`, parts: ([d = '', m = '', y = '']) => [y, monthNumber(m), d] },
  { source: `${MONTH} ${DAY},? ${YEAR}`, parts: ([m = '', d = '', y = '']) => [y, monthNumber(m), d] },
  { source: `(\\d{1,2})\\.(\\d{1,2})\\.${YEAR}`, parts: ([d = '', m = '', y = '']) => [y, m, d] },
  { source: `(\\d{1,2})\\/(\\d{1,2})\\/${YEAR}`, parts: ([d = '', m = '', y = '']) => [y, m, d] },
]

function monthNumber(name: string): string {
  return String(MONTHS.findIndex((month) => month.toLowerCase().startsWith(name.slice(0, 3).toLowerCase())) + 1)
}

function isoOf(parts: readonly [string, string, string]): string | undefined {
  const [year, month, day] = parts
  const iso = `${year}-${month.padStart(2, '0')}-${day.padStart(2, '0')}`
  return isDate(iso) ? iso : undefined
}

const whole = WRITINGS.map(({ source, parts }) => ({ expression: new RegExp(`^${source}$`, 'iu'), parts }))
const within = WRITINGS.map(({ source, parts }) => ({
  expression: new RegExp(`(?<![\\p{L}\\p{N}])${source}(?![\\p{L}\\p{N}])`, 'giu'),
  parts,
}))

/**
 * Reads a date written in words or digits.
 *
 * @param text - The date.
 * @returns The date in ISO 8601, or undefined if the text is not a date.
 * @example
 * readWrittenDate('3rd of March 1893') // => '1893-03-03'
 */
export function readWrittenDate(text: string): string | undefined {
  for (const { expression, parts } of whole) {
    const match = expression.exec(text.trim())
    const iso = match && isoOf(parts(match.slice(1)))
    if (iso) return iso
  }
  return undefined
}

/** All whole dates in a text, with their places. */
export function datesIn(text: string): { readonly iso: string; readonly text: string; readonly start: number }[] {
  if (!/\d{4}/.test(text)) return []
  return within.flatMap(({ expression, parts }) =>
    [...text.matchAll(expression)].flatMap((match) => {
      const iso = isoOf(parts(match.slice(1)))
      return iso ? [{ iso, text: match[0], start: match.index }] : []
    }),
  )
}
