import { ProblemError, type Problem, type Rendering } from 'dunelight'
import { type BatchRecord, defined } from 'dunelight/host'
import { handRecord, type Subject } from './subject.js'

/** A sheet: the finished turns of one record, or what keeps it from having any. */
export interface Sheet {
  readonly record: BatchRecord | undefined
  readonly rendering: Rendering | undefined
  readonly problems: readonly Problem[]
}

export const EMPTY: Sheet = { record: undefined, rendering: undefined, problems: [] }

/** The sheet of a row, or of values that were written by hand. */
export function sheetOf(subject: Subject, row: number, hand: Readonly<Record<string, unknown>> | undefined, hasRows: boolean): Sheet {
  const { prompt } = subject
  if (!prompt) return { record: undefined, rendering: undefined, problems: subject.problems }
  const record = hand || !hasRows ? handRecord(prompt, hand ?? {}) : subject.record(row)
  if (!record) return { record: undefined, rendering: undefined, problems: [] }
  if (!record.prepared) return { record, rendering: undefined, problems: record.problems }
  try {
    const rendering = record.prepared.render({ ...subject.options(record), origins: true })
    return { record, rendering, problems: rendering.problems }
  } catch (fault) {
    if (fault instanceof ProblemError) return { record, rendering: undefined, problems: fault.problems }
    throw fault
  }
}

/** What a row is rendered to, as one text; undefined where it is rejected or left out. */
export function turnsText(subject: Subject | undefined, row: number): string | undefined {
  const record = subject?.record(row)
  if (!record?.prepared) return undefined
  try {
    return JSON.stringify(record.prepared.turns(defined(subject).options(record)).map(({ role, text }) => [role, text]))
  } catch (fault) {
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}
