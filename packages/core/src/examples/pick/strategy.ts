import type { CaseIndex } from '../case-index.js'

/** The record that is asked about, and the cases that may be taken, for a strategy. */
export interface Question {
  readonly count: number
  /** Cases that equal the record: never taken. */
  readonly barred: ReadonlySet<number>
  /** How near each case is to the record; 0 where nothing is shared. */
  readonly scores: ArrayLike<number>
  /** Cases that share something with the record. */
  readonly touched: Uint32Array
  readonly index: CaseIndex
  /** A number for a case that only the seed and the record decide. */
  random(index: number): number
}

/** A way to rank cases. */
export interface Strategy {
  readonly name: string
  readonly about: string
  /** Whether it compares cases with the record. */
  readonly compares: boolean
  /** The order in which cases are taken: at least `most` of them where there are this many, and the best of each label. */
  rank(question: Question, most: number, labels: readonly string[] | undefined): readonly number[]
}
