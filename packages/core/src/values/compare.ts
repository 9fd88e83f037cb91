import { isMissing, isRecord } from './data.js'
import { instant } from './dates.js'
import { compareNumbers, type Numeric } from './numbers.js'
import { plainNumber } from './numbers.js'

export type Sort = 'text' | 'number' | 'boolean' | 'date'

/** Equal as values of one sort; missing sides are seen to by the caller. */
export function equal(a: unknown, b: unknown, sort: Sort): boolean {
  if (sort === 'number') return isNumeric(a) && isNumeric(b) && compareNumbers(a, b) === 0
  if (sort === 'date') return typeof a === 'string' && typeof b === 'string' && instant(a) === instant(b)
  return a === b
}

/** Below zero where a comes first; NaN where the two have no order. */
export function order(a: unknown, b: unknown, sort: Sort): number {
  if (sort === 'number') return isNumeric(a) && isNumeric(b) ? compareNumbers(a, b) : Number.NaN
  if (typeof a !== 'string' || typeof b !== 'string') return Number.NaN
  return sort === 'date' ? instant(a) - instant(b) : byCodePoint(a, b)
}

function isNumeric(value: unknown): value is Numeric {
  return typeof value === 'number' || typeof value === 'bigint' || typeof value === 'string'
}

/** Text by code point: UTF-16 order puts characters beyond the first plane too early. */
export function byCodePoint(a: string, b: string): number {
  const length = Math.min(a.length, b.length)
  for (let i = 0; i < length; i++) {
    if (a.charCodeAt(i) !== b.charCodeAt(i)) return (a.codePointAt(i) ?? 0) - (b.codePointAt(i) ?? 0)
  }
  return a.length - b.length
}

/** The order of `sorted`: numbers by size, everything else by its text. */
export function compareItems(a: unknown, b: unknown): number {
  if (typeof a === 'number' || typeof a === 'bigint') return isNumeric(b) ? compareNumbers(a, b) : -1
  if (typeof a === 'string' && typeof b === 'string') return byCodePoint(a, b)
  return byCodePoint(String(plain(a)), String(plain(b)))
}

function plain(value: unknown): unknown {
  if (isMissing(value)) return ''
  if (typeof value === 'number') return plainNumber(value)
  return isRecord(value) || Array.isArray(value) ? JSON.stringify(value) : value
}
