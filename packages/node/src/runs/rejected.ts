import { problemRecord, type Problem, type ProblemRecord } from 'dunelight'

/** A rejected record and the reason: a line of `rejected.jsonl` and of the file of `--rejected`, the same for every step. */
export interface RejectedRow {
  /** The row's number, from 1 below the heading. */
  readonly row: number
  readonly record: string
  /** The codes of its problems. It is counted under the first. */
  readonly reasons: readonly string[]
  readonly problems: readonly ProblemRecord[]
  /** The reply, if there was one, and what of it could be read. */
  readonly reply?: string
  readonly partial?: unknown
  /** The record as it stands in its table. */
  readonly raw: unknown
}

export interface Rejection {
  readonly problems: readonly Problem[]
  readonly reply?: string | undefined
  readonly partial?: unknown
}

export function rejectedRow(row: number, record: string, { problems, reply, partial }: Rejection, raw: unknown): RejectedRow {
  return {
    row,
    record,
    reasons: problems.map((p) => p.code),
    problems: problems.map(problemRecord),
    ...(reply !== undefined && { reply, partial: partial ?? null }),
    raw,
  }
}

export function rejectedLine(row: RejectedRow): string {
  return `${JSON.stringify(row)}\n`
}

/** Cells of a row without a heading. */
const MORE = 'further cells'

/** A record as it is in its table. Missing columns are left out. */
export function rawOf(cells: readonly unknown[], headings: readonly string[]): unknown {
  const named = Object.fromEntries(headings.flatMap((heading, i) => (cells[i] === undefined ? [] : [[heading, cells[i]]])))
  return cells.length > headings.length ? { ...named, [MORE]: cells.slice(headings.length) } : named
}
