import type { BatchRecord } from 'dunelight/host'

/** The records of some rows of a table; rows that a condition leaves out are not among them. */
export interface RecordChunk {
  readonly headings: readonly string[]
  /** Created one after the other, as they are requested: what has been written need not be in memory. */
  readonly records: Iterable<BatchRecord>
  readonly bytesRead: number
  /** How many rows they are made of, those that are left out among them. */
  readonly rows: number
}
