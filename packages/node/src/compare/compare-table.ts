import { ProblemError, type PreparedValues } from 'dunelight'
import { contained, type Batch, type BatchRecord } from 'dunelight/host'
import type { TableSource } from '../sources/open-table.js'
import { readRecords, type RecordsOptions } from '../sources/records.js'

export interface CompareOptions {
  /** The batch with its prompt as it was, and as it is. */
  readonly before: Batch
  readonly after: Batch
  readonly records: TableSource
  readonly pools?: RecordsOptions['pools']
}

/** How many records two states of a prompt render differently. */
export interface Comparison {
  readonly records: number
  /** Records whose turns differ. */
  readonly changed: number
  /** Records that cannot be rendered any more, and records that now can. */
  readonly lost: number
  readonly won: number
  /** Records that could not be rendered before and cannot now. */
  readonly rejected: number
  /** The first records that differ, by their ids. */
  readonly examples: readonly string[]
}

const MOST_EXAMPLES = 5

/**
 * Renders every record of a table by two versions of a prompt and counts those that differ. Memory does not grow with the table.
 *
 * @param options - Both versions as batches, and the records.
 * @returns The counts, and the ids of some records that differ.
 * @throws ProblemError if the table cannot be used.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const batch = plainBatch(library.prompt('survey/grade'))
 * const comparison = await compareTable({ before: batch, after: batch, records: 'demo/marram-house/data/objects.csv' })
 * comparison.changed // => 0
 */
export async function compareTable({ before, after, records, pools = [] }: CompareOptions): Promise<Comparison> {
  const count = { records: 0, changed: 0, lost: 0, won: 0, rejected: 0 }
  const examples: string[] = []
  for await (const pairs of recordPairs(before, after, records, { pools })) {
    for (const [old, record] of pairs) {
      const [text, other] = [old && rendered(old, bytesOf), rendered(record, bytesOf)]
      count.records++
      if (text === undefined && other === undefined) count.rejected++
      else if (other === undefined) count.lost++
      else if (text === undefined) count.won++
      else if (text !== other) count.changed++
      if (text !== other && examples.length < MOST_EXAMPLES) examples.push(record.id)
    }
  }
  return { ...count, examples }
}

/** The records of a table as two batches take them, side by side, as many at a time as are read. */
export async function* recordPairs(
  before: Batch,
  after: Batch,
  records: TableSource,
  options: RecordsOptions,
): AsyncGenerator<readonly (readonly [BatchRecord | undefined, BatchRecord])[]> {
  const earlier = readRecords(before, records, options)
  for await (const chunk of readRecords(after, records, options)) {
    const was = await earlier.next()
    const old = was.done ? [] : [...was.value.records]
    yield [...chunk.records].map((record, i) => [old[i], record] as const)
  }
}

function bytesOf(prepared: PreparedValues, record: string): string {
  return prepared.bytes({ record })
}

/** What a record is rendered to; undefined where it cannot be. */
export function rendered<T>({ prepared, id }: BatchRecord, render: (prepared: PreparedValues, record: string) => T): T | undefined {
  try {
    return prepared && contained(() => render(prepared, id))
  } catch (fault) {
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}
