import type { ProblemCode } from 'dunelight'
import type { Cut } from '../sources/cutter.js'
import type { PackedBlock } from './packed-block.js'

/** What a thread needs to begin: the same that the run's own thread was begun with. */
export interface WorkerStart {
  /** The library's folder. */
  readonly folder: string
  /** Where the wording comes from, if not from its working files. */
  readonly at: string | undefined
  readonly definition: Readonly<Record<string, unknown>>
  readonly values: Readonly<Record<string, unknown>>
  readonly locale: string | undefined
  readonly output: string
  readonly bare: boolean
  /** All headings of the table, and what it is called in problems. */
  readonly headings: readonly string[]
  /** The heading of the column that names the records, if any does. */
  readonly named: string | null
  readonly name: string
  /** What separates cells; undefined for lines. */
  readonly delimiter: string | undefined
  /** How many blocks of a thread are in memory: one that is rendered, the others waiting to be written. */
  readonly buffers: number
}

/** A block of whole rows to be rendered. */
export type ToRender = Omit<Cut, 'end'>

/** A block, or a record of an earlier one as it is in its table; blocks count from 1. */
export type ToWorker = ToRender | { readonly block: number; readonly row: number }

/** What was thrown on a thread, as data. */
export type FaultData =
  | { readonly problems: readonly { readonly code: ProblemCode; readonly data: unknown }[] }
  | { readonly message: string; readonly stack: string }

export interface FromWorker {
  readonly blocks?: readonly PackedBlock[]
  readonly raw?: unknown
  readonly fault?: FaultData
}
