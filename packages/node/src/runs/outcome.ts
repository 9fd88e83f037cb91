import type { Rejection } from './rejected.js'

/** A line for another file of the run than its output. */
export type Beside = readonly [file: string, content: string | Uint8Array]

/** What is written of a record. */
export interface Written {
  /** UTF-8, one character for each byte. */
  readonly text: string
  /** The length of its prompt in bytes, and in tokens if they are counted. */
  readonly size?: number
  readonly tokens?: number | undefined
  readonly fingerprint?: string | undefined
}

/** The result of a record: something that is written, or the reason for its rejection. */
export type Outcome = (Written | Rejection) & {
  readonly beside?: readonly Beside[]
  /** Called when the record's turn has come, in the order of the records. */
  readonly onTurn?: () => void
}
