import { defined } from '../invariant.js'
import { isDeeper, isRecord, isMissing, lineEnds, own, ownNamed, put, shown, clip } from './data.js'
import { mediaFits, readDataUri } from './files.js'
import { instant, isDate, readDateTime } from './dates.js'
import { compareNumbers, isDecimal, type Numeric } from './numbers.js'
import {
  describe,
  type ChoiceType,
  type DateType,
  type Declared,
  type FileType,
  type ListType,
  type NumberType,
  type RecordType,
  type TextType,
  type ValueType,
} from './types.js'
import { wholePattern } from './pattern.js'
import { SaidTurn } from './past-turns.js'
import { isWordSign } from './words.js'
import { problem, type Report } from '../problems/problem.js'
import { nearest } from '../problems/suggest.js'

/** The place of a value, put into words only for a problem. */
export interface Where {
  readonly parent: Where | undefined
  readonly name: string | number
}

/** A value that stands in no other. */
export function topLevel(name: string): Where {
  return { parent: undefined, name }
}

function wordsFor(where: Where): string {
  return where.parent ? `${wordsFor(where.parent)}.${where.name}` : String(where.name)
}

/**
 * Checks a value against its declaration and gives it in the form that rendering works with: own plain data, line ends as `\n`, dates as
 * ISO text, every declared field present (null where missing). What does not fit is reported and given as null.
 */
export function accept(value: unknown, declared: Declared, where: Where, report: Report): unknown {
  if (isMissing(value)) {
    if (declared.default !== undefined) return declared.default
    if (!declared.optional) report(problem('value-missing', { path: wordsFor(where) }, undefined, declarationOf(declared)))
    return value === undefined ? undefined : null
  }
  return acceptType(value, declared.type, where, report)
}

function declarationOf(declared: Declared) {
  return declared.span ? [{ message: 'declared here', span: declared.span }] : []
}

export function acceptType(value: unknown, type: ValueType, where: Where, report: Report): unknown {
  switch (type.kind) {
    case 'text':
      return acceptText(value, type, where, report)
    case 'integer':
    case 'number':
      return acceptNumber(value, type, where, report)
    case 'boolean':
      return typeof value === 'boolean' ? value : unfit(value, type, where, report)
    case 'date':
    case 'date-time':
      return acceptDate(value, type, where, report)
    case 'choice':
      return acceptChoice(value, type, where, report)
    case 'list':
      return acceptList(value, type, where, report)
    case 'record':
      return isRecord(value) ? acceptRecord(value, type, where, report) : unfit(value, type, where, report)
    case 'table':
      return acceptTable(value, type, where, report)
    case 'file':
      return acceptFile(value, type, where, report)
    case 'turns':
      return acceptTurns(value, type, where, report)
    case 'any':
      return acceptOpen(value, where, report)
  }
}

/** Data without a declaration is kept unchanged, unless it is nested so deep, or contains itself, that nothing could write it. */
function acceptOpen<V>(value: V, where: Where, report: Report): V | null {
  if (!isDeeper(value, DEEPEST)) return value
  report(problem('value-too-deep', { path: wordsFor(where), limit: DEEPEST }))
  return null
}

/** Deeper than any record is. */
const DEEPEST = 100

function unfit(value: unknown, type: ValueType, where: Where, report: Report, hint?: string): null {
  report(problem('value-invalid', { path: wordsFor(where), expected: describe(type), found: shown(value), hint }))
  return null
}

function acceptText(value: unknown, type: TextType, where: Where, report: Report): unknown {
  if (typeof value !== 'string') {
    const hint = typeof value === 'number' || typeof value === 'boolean' ? `write "${value}" in quotes` : undefined
    return unfit(value, type, where, report, hint)
  }
  const message = textBroken(value, type)
  if (message !== undefined) report(problem('value-bounds', { path: wordsFor(where), detail: message }))
  return lineEnds(value)
}

/** The bound that a text breaks, in words. */
function textBroken(value: string, type: TextType): string | undefined {
  const { minLength = 0, maxLength = Infinity, minWords, maxWords, pattern } = type
  if (value.length < minLength) return `is shorter than ${minLength} characters`
  if (value.length > maxLength) return `is longer than ${maxLength} characters`
  if (pattern !== undefined && !wholePattern(pattern).test(value)) return `does not match ${pattern}: "${clip(value)}"`
  if (minWords === undefined && maxWords === undefined) return undefined
  const count = wordCount(value)
  const words = `has ${count} ${count === 1 ? 'word' : 'words'}`
  if (count < (minWords ?? 0)) return `${words}, fewer than ${defined(minWords)}`
  return count > (maxWords ?? Infinity) ? `${words}, more than ${defined(maxWords)}` : undefined
}

/** Runs of characters between spaces that contain a letter or a digit. */
export function wordCount(text: string): number {
  let count = 0
  let counted = false
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i)
    if (unit === 32 || (unit < 14 && unit > 8)) counted = false
    else if (!counted && isWordSign(text, i)) {
      counted = true
      count++
    } else if (counted && unit > 127 && BLANK.test(defined(text[i]))) counted = false
  }
  return count
}

const BLANK = /\s/u

function acceptNumber(value: unknown, type: NumberType, where: Where, report: Report): unknown {
  const fits =
    typeof value === 'bigint' ||
    (typeof value === 'number' && Number.isFinite(value) && (type.kind === 'number' || Number.isInteger(value))) ||
    (typeof value === 'string' && isDecimal(value) && (type.kind === 'number' || !value.includes('.')))
  if (!fits) return unfit(value, type, where, report)
  const numeric = typeof value === 'string' ? shortNumber(value) : (value as Numeric)
  if (type.min !== undefined && compareNumbers(numeric, type.min) < 0)
    report(problem('value-bounds', { path: wordsFor(where), detail: `is below ${type.min}: ${String(value)}` }))
  if (type.max !== undefined && compareNumbers(numeric, type.max) > 0)
    report(problem('value-bounds', { path: wordsFor(where), detail: `is above ${type.max}: ${String(value)}` }))
  return numeric
}

/** Decimal text as a number where a double holds it digit for digit, else as it is. */
export function shortNumber(text: string): Numeric {
  const digits = text.replace(/\D/g, '').replace(/^0+/, '')
  return digits.length <= 15 ? Number(text) : text
}

function acceptDate(value: unknown, type: DateType, where: Where, report: Report): unknown {
  const text = value instanceof Date && !Number.isNaN(value.getTime()) ? value.toISOString() : value
  if (typeof text !== 'string') return unfit(value, type, where, report)
  const iso = type.kind === 'date' ? (value instanceof Date ? text.slice(0, 10) : isDate(text) ? text : undefined) : readDateTime(text)
  if (iso === undefined)
    return unfit(value, type, where, report, `write it as ${type.kind === 'date' ? '2026-11-23' : '2026-11-23T14:05:00+01:00'}`)
  if (type.min !== undefined && instant(iso) < instant(type.min))
    report(problem('value-bounds', { path: wordsFor(where), detail: `is before ${type.min}: ${iso}` }))
  if (type.max !== undefined && instant(iso) > instant(type.max))
    report(problem('value-bounds', { path: wordsFor(where), detail: `is after ${type.max}: ${iso}` }))
  return iso
}

function acceptChoice(value: unknown, type: ChoiceType, where: Where, report: Report): unknown {
  if (typeof value === 'string' && type.of.includes(value)) return value
  const near = typeof value === 'string' ? nearest(value, type.of) : undefined
  return unfit(value, type, where, report, near && `did you mean "${near}"?`)
}

function acceptList(value: unknown, type: ListType, where: Where, report: Report): unknown {
  if (!Array.isArray(value)) return unfit(value, type, where, report)
  const list = value.map((item: unknown, i) =>
    isMissing(item) ? null : acceptType(item, type.item, { parent: where, name: i + 1 }, report),
  )
  checkCount(list.length, type, where, report)
  if (type.unique) {
    const met = new Set<unknown>()
    const twice = list.find((item) => {
      if (met.has(item)) return true
      met.add(item)
      return false
    })
    if (twice !== undefined) report(problem('value-bounds', { path: wordsFor(where), detail: `contains ${shown(twice)} twice` }))
  }
  return list
}

function checkCount(count: number, type: { minItems?: number; maxItems?: number }, where: Where, report: Report): void {
  if (type.minItems !== undefined && count < type.minItems)
    report(problem('value-bounds', { path: wordsFor(where), detail: `has ${count}, fewer than ${type.minItems}` }))
  if (type.maxItems !== undefined && count > type.maxItems)
    report(problem('value-bounds', { path: wordsFor(where), detail: `has ${count}, more than ${type.maxItems}` }))
}

/** Declared fields first and all of them, then what else the record carries along. Only own data is copied. */
function acceptRecord(value: Record<string, unknown>, type: RecordType, where: Where, report: Report): Record<string, unknown> {
  if (!type.fields) return acceptOpen(value, where, report) ?? {}
  const record: Record<string, unknown> = {}
  for (const field of type.fields)
    put(record, field.name, accept(ownNamed(value, field.name), field, { parent: where, name: field.name }, report))
  for (const key in value) {
    if (Object.hasOwn(record, key) || !Object.hasOwn(value, key) || Object.hasOwn(record, key.normalize('NFC'))) continue
    put(record, key, acceptOpen(own(value, key), { parent: where, name: key }, report))
  }
  return record
}

function acceptTable(value: unknown, type: RecordType, where: Where, report: Report): unknown {
  if (!Array.isArray(value)) return unfit(value, type, where, report)
  checkCount(value.length, type, where, report)
  return value.map((row: unknown, i) =>
    isRecord(row)
      ? acceptRecord(row, type, { parent: where, name: i + 1 }, report)
      : unfit(row, { kind: 'record' }, { parent: where, name: i + 1 }, report),
  )
}

/** A file as it is, or a `data:` URI. */
function acceptFile(passed: unknown, type: FileType, where: Where, report: Report): unknown {
  const value = typeof passed === 'string' ? readDataUri(passed) : passed
  const media = own(value, 'mediaType')
  const text = own(value, 'text')
  const bytes = own(value, 'bytes')
  if (typeof own(value, 'name') !== 'string' || typeof media !== 'string' || (typeof text !== 'string' && !isBytes(bytes))) {
    const hint =
      typeof passed === 'string'
        ? 'a path is read by readFileValue of @dunelight/node; a text in its place begins with data:'
        : 'a file is { name, mediaType, text } or { name, mediaType, bytes }'
    return unfit(passed, type, where, report, hint)
  }
  if (type.media && !mediaFits(media, type.media))
    report(problem('value-bounds', { path: wordsFor(where), detail: `is ${media}, which is none of ${type.media.join(', ')}` }))
  return typeof text === 'string' ? { ...(value as object), text: lineEnds(text) } : value
}

/** Bytes of any realm: those of a test's or a frame's own count too. */
function isBytes(value: unknown): value is Uint8Array {
  return ArrayBuffer.isView(value) && Object.prototype.toString.call(value) === '[object Uint8Array]'
}

const ROLES = ['system', 'user', 'assistant']

function acceptTurns(value: unknown, type: ValueType, where: Where, report: Report): unknown {
  if (!Array.isArray(value)) return unfit(value, type, where, report, 'turns are a list of { role, text }')
  return value.map((turn: unknown, i) => {
    const role = own(turn, 'role')
    const text = own(turn, 'text')
    if (typeof role !== 'string' || !ROLES.includes(role) || typeof text !== 'string')
      return unfit(turn, { kind: 'record' }, { parent: where, name: i + 1 }, report, 'a turn is { role: "user" or "assistant", text }')
    if (role === 'system') report(problem('history-system', { path: wordsFor({ parent: where, name: i + 1 }) }))
    return turn instanceof SaidTurn ? turn : { role, text: lineEnds(text) }
  })
}

/** Checks all values of a rendering, in the order of the declarations; names that are not declared are reported. */
export function acceptAll(
  values: Record<string, unknown>,
  declared: readonly Declared[],
  bound: ReadonlySet<string>,
  report: Report,
): unknown[] {
  for (const name of Object.keys(values)) {
    if (declared.some((d) => d.name === name || d.name === name.normalize('NFC'))) continue
    report(bound.has(name) ? problem('value-bound', { name }) : problem('value-undeclared', { name, known: declared.map((d) => d.name) }))
  }
  return declared.map((d) => accept(ownNamed(values, d.name), d, topLevel(d.name), report))
}
