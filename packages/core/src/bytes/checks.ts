import { defined } from '../invariant.js'
import { wholePattern } from '../values/pattern.js'
import { isUnbound, type Column } from '../values/row.js'
import type { NumberType } from '../values/types.js'
import { hasSpaceAround, valueOf, type Decode } from './bounds.js'
import { ByteMemo } from './memo.js'
import { patternTable } from './pattern-table.js'
import { BEYOND, ODD, TYPED, type ByteRow, type KnownCell } from './row.js'

/** Whether a cell is taken by its column as it stands. If not, the row is read as values: it may be taken all the same, or rejected. */
export type CellCheck = (row: ByteRow) => boolean

/** Types whose values are texts in every table. */
const WRITTEN: ReadonlySet<string> = new Set(['text', 'choice', 'date', 'date-time'])
/** Longer cells hardly come again. */
const LONGEST_KNOWN = 200
const [MINUS, DIGIT_0, DIGIT_9] = [45, 48, 57]

/**
 * The check of a column's cells. Those of a missing cell are simple: it may be missing, or the row is read as values. `typed`: whether numbers and
 * lists are values of their own in the table, as in lines of JSON. Then all cells of a column that are taken have the same form.
 */
export function checkOf(column: Column, decode: Decode, typed: boolean): CellCheck {
  const { index, declared } = column
  const mayBeMissing = declared.optional && declared.default === undefined && declared.type.kind !== 'boolean'
  const check = contentCheck(column, decode, typed)
  return (row) => (row.isEmpty(index) ? mayBeMissing : check(row))
}

function contentCheck(column: Column, decode: Decode, typed: boolean): CellCheck {
  const { index, declared } = column
  const { type } = declared
  const isTyped = typed && !WRITTEN.has(type.kind)
  const isPlain = (row: ByteRow) =>
    (defined(row.kinds[index]) & ODD) === 0 && (row.forms[index] === TYPED) === isTyped && !hasSpaceAround(row, index)
  const reads = (row: ByteRow) => isRead(column, valueOf(row, index, decode))
  switch (type.kind) {
    case 'text': {
      const { pattern } = type
      if (isUnbound({ ...type, pattern: undefined })) {
        if (pattern === undefined) return isPlain
        const table = patternTable(wholePattern(pattern).automaton)
        if (table)
          return (row) =>
            (defined(row.kinds[index]) & BEYOND) === 0 && isPlain(row)
              ? table(row.source, defined(row.starts[index]), defined(row.ends[index]))
              : false
      }
      return (row) => isPlain(row) && reads(row)
    }
    case 'integer':
    case 'number':
      return numberCheck(index, type, (row) => isPlain(row) && column.read(valueOf(row, index, decode), row.number, []))
    default:
      return knownCheck(index, (row) => isPlain(row) && reads(row))
  }
}

function isRead({ read }: Column, cell: unknown): boolean {
  const problems: Parameters<Column['read']>[2] = []
  const value = read(cell, 0, problems)
  if (value === null || problems.length > 0) return false
  // A date in another writing, an option in other capitals: what is written is not the cell.
  return typeof value !== 'string' || value === cell
}

/** Whole numbers of up to 15 digits are read from their bytes, the others as values are. */
function numberCheck(index: number, { min = -Infinity, max = Infinity }: NumberType, read: (row: ByteRow) => unknown): CellCheck {
  return (row) => {
    const number = wholeNumber(row, index)
    if (!Number.isNaN(number)) {
      row.isDigits[index] = 1
      row.numbers[index] = number
      return number >= min && number <= max
    }
    const value = read(row)
    row.isDigits[index] = 0
    if (typeof value !== 'number') return false
    row.numbers[index] = value
    return true
  }
}

/** The number that is written as its cell stands: digits without a zero before them. NaN for any other. */
export function wholeNumber({ source, starts, ends }: ByteRow, index: number): number {
  const start = defined(starts[index])
  const end = defined(ends[index])
  const isNegative = source[start] === MINUS
  const first = isNegative ? start + 1 : start
  if (end - first > 15 || end === first || (source[first] === DIGIT_0 && (end - first > 1 || isNegative))) return NaN
  let number = 0
  for (let i = first; i < end; i++) {
    const byte = defined(source[i])
    if (byte < DIGIT_0 || byte > DIGIT_9) return NaN
    number = number * 10 + byte - DIGIT_0
  }
  return isNegative ? -number : number
}

/** A column has mostly the same few choices, dates and lists: what is known of one is known of all its bytes. */
function knownCheck(index: number, reads: CellCheck): CellCheck {
  const memo = new ByteMemo<KnownCell>()
  return (row) => {
    const start = defined(row.starts[index])
    const end = defined(row.ends[index])
    let known = memo.find(row.source, start, end)
    if (!known) {
      known = { fits: reads(row), written: [] }
      if (end - start <= LONGEST_KNOWN) memo.learn(row.source, start, end, known)
    }
    row.known[index] = known
    return known.fits
  }
}
