import type { Problem } from '../problems/problem.js'
import type { RowReader } from '../values/row.js'
import type { PreparedValues } from './prepared-values.js'

/** A row's values, or what is wrong with its cells. */
export interface ReadRow {
  readonly prepared: PreparedValues | undefined
  readonly problems: readonly Problem[]
}

/** A table's rows as values of a prompt. */
export class PromptRows {
  constructor(
    /** Which columns give which values. */
    readonly columns: RowReader,
    private readonly prepare: (accepted: readonly unknown[]) => PreparedValues,
  ) {}

  /** What is wrong with the headings: columns that are missing, used twice or not at all. */
  get problems(): readonly Problem[] {
    return this.columns.problems
  }

  /** `row` counts the rows below the heading from 1; `beside` adds values from elsewhere, and reports their problems. */
  read(cells: readonly unknown[], row: number, beside?: (accepted: unknown[]) => readonly Problem[]): ReadRow {
    const { accepted, problems: misfits } = this.columns.read(cells, row)
    const problems = accepted ? (beside?.(accepted) ?? NO_PROBLEMS) : misfits
    return accepted && problems.length === 0
      ? { prepared: this.prepare(accepted), problems: NO_PROBLEMS }
      : { prepared: undefined, problems }
  }
}

const NO_PROBLEMS: readonly Problem[] = []
