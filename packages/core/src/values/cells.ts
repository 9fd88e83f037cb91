import { isMissing } from './data.js'
import { isDate, readByPattern, readDateTime } from './dates.js'
import { shortNumber } from './accept.js'
import { isDecimal } from './numbers.js'
import { describe, type BooleanType, type DateType, type ListType, type ValueType } from './types.js'

/** Called with what was expected where a cell does not fit. */
type Refuse = (expected: string) => void

const YES = ['yes', 'true', '1']
const NO = ['no', 'false', '0']

/**
 * Reads a table's cell as a value of the declared type. The text is trimmed; an empty cell is missing (null).
 *
 * @param cell - The cell's text.
 * @param type - The declared type.
 * @param locale - How numbers and dates are written. Default: English.
 * @param refuse - Called if the cell does not fit the type; the result is null.
 * @returns The value.
 * @example
 * readCell(' 1,890 ', { kind: 'integer' }, undefined, () => {}) // => 1890
 * readCell('oak; brass', { kind: 'list', item: { kind: 'text' } }, undefined, () => {}) // => ['oak', 'brass']
 */
export function readCell(cell: string, type: ValueType, locale: string | undefined, refuse: Refuse): unknown {
  const text = cell.trim()
  if (type.kind === 'boolean') return readBoolean(text, type, refuse)
  if (text === '') return null
  switch (type.kind) {
    case 'text':
    case 'any':
      return text
    case 'integer':
    case 'number':
      return readNumber(text, type.kind === 'integer', locale, refuse)
    case 'choice': {
      const option = type.of.find((o) => o === text) ?? type.of.find((o) => o.toLowerCase() === text.toLowerCase())
      return option ?? refused(refuse, describe(type))
    }
    case 'date':
    case 'date-time':
      return readDate(text, type, refuse)
    case 'list':
      return readList(text, type, locale, refuse)
    case 'file':
      return text.startsWith('data:') ? text : readJson(text, FILE_CELL, refuse)
    default:
      return readJson(text, `${describe(type)}, as JSON`, refuse)
  }
}

function refused(refuse: Refuse, expected: string): null {
  refuse(expected)
  return null
}

function readBoolean(text: string, type: BooleanType, refuse: Refuse): boolean | null {
  if (type.reads === 'mark') return text !== ''
  const word = text.toLowerCase()
  if (word === '') return null
  if (YES.includes(word)) return true
  return NO.includes(word) ? false : refused(refuse, 'yes or no')
}

/** Digits plain or grouped by the locale's separators; without a locale 1890.5 and 1,890.5. */
function readNumber(text: string, whole: boolean, locale: string | undefined, refuse: Refuse): unknown {
  if (PLAIN.test(text)) return Number(text)
  // A whole number has one reading: 1.89 is none.
  if (locale === undefined && isAmbiguous(text) && (!whole || text.includes('.'))) return refused(refuse, ambiguity(text))
  const { grouped, plain, group, point } = writingOf(locale)
  const decimal = grouped.test(text) ? text.replace(group, '') : plain.test(text) ? text : undefined
  const digits = decimal?.replace(point, '.').replace(/^\+/, '')
  if (digits === undefined || !isDecimal(digits) || (whole && /\.\d*[1-9]/.test(digits)))
    return refused(refuse, whole ? 'a whole number' : 'a number')
  return shortNumber(whole ? digits.replace(/\.0*$/, '') : digits)
}

/** What most cells hold, in every locale. */
const PLAIN = /^-?\d{1,15}$/

/** The notation of numbers that models are asked for: 1.890 has one reading in it. */
export const ASKED_LOCALE = 'en'

/** Whether a number has two readings without a locale: `1.890` is 1890 or 1.89. */
export function isAmbiguous(text: string): boolean {
  return /^[+-]?[1-9]\d{0,2}[.,]\d{3}$/.test(text.trim())
}

function ambiguity(text: string): string {
  return `an unambiguous number (${text.replace(/[.,]/, '')} or ${Number(text.replace(',', '.'))}?)`
}

interface NumberWriting {
  readonly grouped: RegExp
  readonly plain: RegExp
  readonly group: RegExp
  readonly point: RegExp
}
const writings = new Map<string | undefined, NumberWriting>()

function writingOf(locale: string | undefined): NumberWriting {
  let numberWriting = writings.get(locale)
  if (!numberWriting) {
    const { group, point } = separators(locale)
    numberWriting = {
      grouped: new RegExp(`^[+-]?\\d{1,3}(?:${group}\\d{3})+(?:${point}\\d+)?$`),
      plain: new RegExp(`^[+-]?\\d+(?:${point}\\d+)?$`),
      group: new RegExp(group, 'g'),
      point: new RegExp(point),
    }
    writings.set(locale, numberWriting)
  }
  return numberWriting
}

/** The locale's separators, as sources of expressions. */
function separators(locale: string | undefined): { group: string; point: string } {
  if (locale === undefined) return { group: ',', point: '\\.' }
  const parts = new Intl.NumberFormat(locale).formatToParts(-1234567.5)
  const symbol = (type: string, usual: string) => parts.find((p) => p.type === type)?.value ?? usual
  const group = symbol('group', ',')
  // Typed tables have plain spaces where a locale prints narrow or no-break spaces.
  return { group: /\s/u.test(group) ? '[ \\u00A0\\u202F]' : `\\${group}`, point: `\\${symbol('decimal', '.')}` }
}

function readDate(text: string, type: DateType, refuse: Refuse): unknown {
  const expected =
    type.reads === undefined
      ? `a ${type.kind} such as ${type.kind === 'date' ? '2026-11-23' : '2026-11-23T14:05'}`
      : `a date as ${type.reads}`
  const iso =
    type.reads !== undefined
      ? readByPattern(text, type.reads)
      : type.kind === 'date'
        ? isDate(text)
          ? text
          : undefined
        : readDateTime(text)
  return iso ?? refused(refuse, expected)
}

function readList(text: string, type: ListType, locale: string | undefined, refuse: Refuse): unknown {
  if (text.startsWith('[')) return readJson(text, `${describe(type)}, as JSON`, refuse)
  return text
    .split(type.splits ?? ';')
    .map((item) => item.trim())
    .filter((item) => item !== '')
    .map((item) => readCell(item, type.item, locale, (expected) => refuse(`a list of which every item is ${expected}`)))
}

/** A path is read by the caller that passes one document for all records. */
const FILE_CELL = 'a data: address, or a file as JSON with name, mediaType and text'

function readJson(text: string, expected: string, refuse: Refuse): unknown {
  try {
    const value: unknown = JSON.parse(text)
    return isMissing(value) ? null : value
  } catch {
    return refused(refuse, expected)
  }
}

/**
 * Writes a value as the text of a table's cell. Lists and records become JSON.
 *
 * @param value - Any value of JSON.
 * @returns The text; empty for null.
 * @example
 * cellText(['oak', 'brass']) // => '["oak","brass"]'
 */
export function cellText(value: unknown): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'string') return value
  return typeof value === 'number' || typeof value === 'boolean' || typeof value === 'bigint' ? value.toString() : JSON.stringify(value)
}
