import { ProblemError } from 'dunelight'
import { contained, type Batch, type LineOptions, type LineWriter } from 'dunelight/host'
import { unprepared, type RecordStep } from '../runs/step.js'
import type { RecordSource } from '../sources/records.js'
import type { OutputForm } from './output-form.js'

/** All that decides what is written of records that are rendered. */
export interface Rendering extends RecordSource {
  readonly form: OutputForm
  readonly line: LineOptions
}

/** Renders a record: what is written of it is its line. */
export function renderStep({ batch, form, line: options }: { batch: Batch; form: OutputForm; line: LineOptions }): RecordStep {
  let writer: LineWriter | undefined
  let known: readonly string[] | undefined
  return (record, headings) => {
    const { prepared } = record
    if (!prepared) return unprepared(record)
    if (!writer || headings !== known) {
      writer = batch.writer(headings, options)
      known = headings
    }
    const lines = writer
    try {
      return contained(() => {
        const line = lines.line(record, prepared)
        return { text: form.record(record, prepared, line), size: line.length, tokens: line.tokens, fingerprint: line.fingerprint }
      })
    } catch (fault) {
      if (fault instanceof ProblemError) return { problems: fault.problems }
      throw fault
    }
  }
}
