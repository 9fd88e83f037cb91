import type { Misread } from './misread.js'

/** A row as it is in its table: texts from a table of text, and any JSON value from typed formats. */
export type Row = readonly unknown[]

/** Some rows of a table, their headings with them: where records name further keys, later ones have more. */
export interface TableRows {
  readonly headings: readonly string[]
  readonly rows: readonly (Row | Misread)[]
  /** How much of the source has been read. */
  readonly bytesRead: number
}

/** Plain data one after another. */
export interface ListItems {
  readonly items: readonly unknown[]
  readonly bytesRead: number
}
