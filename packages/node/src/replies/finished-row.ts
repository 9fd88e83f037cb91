import { extname } from 'node:path'
import { ProblemError } from 'dunelight'
import { cellText, type AnswerColumn } from 'dunelight/parts'
import { problem, defined } from 'dunelight/host'
import { csvLine, type CellOptions } from '../output/cells.js'
import { Flattening } from './flatten.js'

/** A row of the finished table: the record's cells, and the columns of the answer. */
export interface FinishedRow {
  readonly cells: readonly unknown[]
  readonly answer: Readonly<Record<string, unknown>>
  readonly repairs: readonly string[]
  readonly unsupported: readonly string[]
  /** Rows and items that are nearly the same as one before them. */
  readonly similar?: readonly string[]
  /** Whether no model gave it. */
  readonly isMock?: boolean
  /** The keys of a JSON line before its row: the record's number and the model. */
  readonly about?: Readonly<Record<string, unknown>>
}

/** How a finished row is written: one line of a file, and perhaps a line above all. */
export interface RowWriting {
  readonly head: (headings: readonly string[]) => string
  readonly line: (row: FinishedRow, headings: readonly string[]) => string
}

const REPAIRS = 'repairs'
const UNSUPPORTED = 'unsupported'
const MOCK = 'everything: it comes from the mock model'

/** Whether a column of a finished row says that the answer comes from a mock model. */
export function isMockMark(column: string | undefined, value: unknown): boolean {
  return value === MOCK || (column === 'mock' && (value === true || value === 'true'))
}

/** The endings that finished rows are written with. */
export const ROW_ENDINGS = ['.csv', '.tsv', '.jsonl'] as const
export type RowEnding = (typeof ROW_ENDINGS)[number]

/**
 * The ending of a path that finished rows are written to. Without one they are lines of JSON.
 *
 * @throws ProblemError if rows are not written with that ending.
 */
export function readEnding(path: string | undefined): RowEnding {
  if (path === undefined) return '.jsonl'
  const ending = extname(path).toLowerCase()
  const known = ROW_ENDINGS.find((text) => text === ending)
  if (!known) throw new ProblemError([problem('output-ending', { path, known: [...ROW_ENDINGS] })])
  return known
}

export interface RowOptions extends CellOptions {
  /** What becomes flat: see `Flattening`. */
  readonly flatten?: readonly string[] | undefined
}

/**
 * The writing of a file by its ending. `answered` are the columns of the answer.
 *
 * @throws ProblemError if what is to become flat is no list and no record.
 */
export function rowWriting(ending: RowEnding, answered: readonly AnswerColumn[], options: RowOptions = { raw: false }): RowWriting {
  const { flatten = [] } = options
  if (flatten.length === 0)
    return writingOf(
      ending,
      answered.map(({ name }) => name),
      options,
    )
  const flattening = new Flattening(answered, flatten)
  const { head, line } = ending === '.jsonl' ? flatLines() : writingOf(ending, flattening.columns, options)
  return {
    head,
    line: (row, headings) =>
      flattening
        .rows(row.answer)
        .map((answer) => line({ ...row, answer }, headings))
        .join(''),
  }
}

/** Lines of JSON without levels: the record's cells, then the answer's columns. A table of them is read as any other. */
function flatLines(): RowWriting {
  return {
    head: () => '',
    line: ({ cells, answer, repairs, unsupported, similar = [], isMock, about }, headings) => {
      const columns = besides(headings, Object.keys(answer))
      const values = Object.values(answer)
      return `${JSON.stringify({
        record: about?.['record'],
        ...Object.fromEntries(headings.map((heading, i) => [heading, cells[i] ?? ''])),
        ...Object.fromEntries(columns.map((column, i) => [column, values[i] ?? null])),
        ...(repairs.length > 0 && { repaired: repairs }),
        ...(unsupported.length + similar.length > 0 && { verify: [...unsupported, ...similar] }),
        ...(isMock && { mock: true }),
      })}\n`
    },
  }
}

function writingOf(ending: RowEnding, columns: readonly string[], options: CellOptions): RowWriting {
  if (ending === '.jsonl') return linesOf(columns)
  const line = (cells: readonly unknown[]) => `${csvLine(cells, ending, options)}\n`
  const { head, cells } = rowCells(columns)
  return { head: (headings) => line(head(headings)), line: (row, headings) => line(cells(row, headings)) }
}

/** Finished rows as cells: those of the record, the answer's columns, repairs, and what to check. */
export function rowCells(columns: readonly string[]) {
  return {
    head: (headings: readonly string[]): readonly string[] => [...headings, ...besides(headings, [...columns, REPAIRS, UNSUPPORTED])],
    cells: (
      { cells, answer, repairs, unsupported, similar = [], isMock }: FinishedRow,
      headings: readonly string[],
    ): readonly unknown[] => [
      ...headings.map((_, i) => cells[i] ?? ''),
      ...columns.map((name) => columnCell(answer[name])),
      repairs.join('; '),
      isMock ? MOCK : [...unsupported, ...similar].join('; '),
    ],
  }
}

/** The answer's columns under names that the record does not have. */
function besides(headings: readonly string[], columns: readonly string[]): string[] {
  const taken = new Set(headings.map((heading) => heading.toLowerCase()))
  return columns.map((name) => (taken.has(name.toLowerCase()) ? `answer.${name}` : name))
}

/** A value as a cell: a list of texts as people write it, if none of them contains the separator. */
function columnCell(value: unknown): string {
  if (Array.isArray(value) && value.every((value) => typeof value === 'string' && !/[;[\n]/.test(value))) return value.join('; ')
  return cellText(value)
}

/** Lines of JSON. All rows of a table have the same keys: they are written once, and the values between them. */
function linesOf(columns: readonly string[]): RowWriting {
  const answerMembers = membersOf(columns)
  let known: readonly string[] | undefined
  let rowMembers = membersOf([])
  return {
    head: () => '',
    line: ({ cells, answer, repairs, unsupported, similar = [], isMock, about }, headings) => {
      if (headings !== known) {
        known = headings
        rowMembers = membersOf(headings)
      }
      const before = about && Object.keys(about).length > 0 ? `${JSON.stringify(about).slice(1, -1)},` : ''
      const row = rowMembers((i) => cells[i] ?? '')
      const answered = answerMembers((i) => answer[defined(columns[i])] ?? null)
      const repaired = repairs.length > 0 ? `,"repaired":${JSON.stringify(repairs)}` : ''
      const verify = unsupported.length + similar.length > 0 ? `,"verify":${JSON.stringify([...unsupported, ...similar])}` : ''
      return `{${before}"row":${row},"answer":${answered}${repaired}${verify}${isMock ? ',"mock":true' : ''}}\n`
    },
  }
}

/** Writes an object with these keys. Of two columns with one name the last counts. */
function membersOf(keys: readonly string[]): (value: (position: number) => unknown) => string {
  const places = [...new Map(keys.map((key, i) => [key, i]))].map(([key, offset]) => ({ at: offset, key: `${JSON.stringify(key)}:` }))
  return (value) => `{${places.map(({ at: index, key }) => key + JSON.stringify(value(index))).join(',')}}`
}

/** An unsupported claim in a few words: the span to check. */
export function unsupportedText(p: { readonly message: string; readonly data: object }): string {
  return 'text' in p.data && typeof p.data.text === 'string' ? p.data.text : p.message
}
