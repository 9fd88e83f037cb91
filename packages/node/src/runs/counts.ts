import type { RejectedRow } from './rejected.js'

/** Records that were rejected for one reason. */
export interface ReasonCount {
  readonly code: string
  count: number
  /** A few of them. */
  readonly examples: { readonly row: number; readonly id: string; readonly message: string }[]
}

/** What every run counts: plain data, so that a run that was interrupted goes on counting. */
export interface Counts {
  written: number
  rejected: number
  reasons: ReasonCount[]
}

export function newCounts(): Counts {
  return { written: 0, rejected: 0, reasons: [] }
}

const EXAMPLES = 3

export function countRejected(counts: Counts, { row, record, problems: [first] }: RejectedRow): void {
  counts.rejected++
  if (!first) return
  let reason = counts.reasons.find((known) => known.code === first.code)
  if (!reason) counts.reasons.push((reason = { code: first.code, count: 0, examples: [] }))
  reason.count++
  if (reason.examples.length < EXAMPLES) reason.examples.push({ row, id: record, message: first.message })
}
