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

/** Nothing yet: a person has to decide before the record can be finished. */
export interface Waiting {
  /** What waits, in words. */
  readonly waiting: readonly string[]
}

/** The result of a record: something that is written, the reason for its rejection, or that it waits. */
export type Outcome = (Written | Rejection | Waiting) & {
  readonly beside?: readonly Beside[]
  /** Called when the record's turn has come, in the order of the records. */
  readonly onTurn?: () => void
}
