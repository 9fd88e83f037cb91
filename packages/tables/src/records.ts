import { ProblemError } from 'dunelight'
import { isDeeper, problem } from 'dunelight/host'
import { Misread } from './misread.js'
import type { ListItems, Row, TableRows } from './table.js'

export interface RecordsOptions {
  /** Headings that are known before the first record is read. */
  readonly known?: readonly string[]
  /** Rows before the first record. */
  readonly rows?: number
}

/**
 * Records as a table: its headings are their keys, those that are known first, then in the order in which they are first seen. An item that
 * is no record is a `Misread`.
 *
 * @throws ProblemError where there is no record at all.
 */
export async function* recordsTable(
  source: AsyncIterable<ListItems>,
  name: string,
  options: RecordsOptions = {},
): AsyncGenerator<TableRows> {
  const records = new RecordRows(options)
  let isEmpty = true
  for await (const { items, bytesRead } of source) {
    if (items.length === 0) continue
    isEmpty = false
    const rows = records.add(items)
    yield { headings: records.headings, rows, bytesRead }
  }
  if (isEmpty) throw new ProblemError([problem('table-empty', { file: name })])
}

/** Makes rows of records that come in parts. */
export class RecordRows {
  headings: readonly string[]
  private count: number

  constructor({ known = [], rows = 0 }: RecordsOptions = {}) {
    this.headings = known
    this.count = rows
  }

  /** The rows of some records, whose keys are among the headings then. */
  add(items: readonly unknown[]): (Row | Misread)[] {
    this.headings = withKeysOf(items, this.headings)
    return items.map((item) => rowOf(item, this.headings, ++this.count))
  }
}

function withKeysOf(items: readonly unknown[], headings: readonly string[]): readonly string[] {
  let known: Set<string> | undefined
  for (const item of items) {
    if (!isRecord(item) || hasKeys(item, headings)) continue
    known ??= new Set(headings)
    for (const key of Object.keys(item)) known.add(key)
  }
  return known && known.size > headings.length ? [...known] : headings
}

/** Deeper than any record is. */
export const DEEPEST = 100

function rowOf(item: unknown, headings: readonly string[], number: number): Row | Misread {
  if (item instanceof Misread) return item
  if (!isRecord(item)) return new Misread(problem('row-not-record', { row: number }), JSON.stringify(item))
  if (isDeeper(item, DEEPEST)) return new Misread(problem('row-too-deep', { row: number, limit: DEEPEST }), '')
  if (hasKeys(item, headings)) return Object.values(item)
  return headings.map((key) => (Object.hasOwn(item, key) ? item[key] : undefined))
}

/** Whether a record has just these keys, in this order. */
function hasKeys(item: Readonly<Record<string, unknown>>, headings: readonly string[]): boolean {
  let position = 0
  for (const key in item) if (key !== headings[position++]) return false
  return position === headings.length
}

function isRecord(item: unknown): item is Record<string, unknown> {
  return typeof item === 'object' && item !== null && !Array.isArray(item) && !(item instanceof Misread)
}
