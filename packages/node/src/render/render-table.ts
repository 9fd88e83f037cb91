import type { Problem, Prompt } from 'dunelight'
import { plainBatch, type PlainNames } from 'dunelight/host'
import { newCounts } from '../runs/counts.js'
import { work, type RunListener, type RunProgress } from '../runs/engine.js'
import type { RejectedRow } from '../runs/rejected.js'
import { Selection } from '../runs/selection.js'
import { RunStreams, type Sink } from '../runs/streams.js'
import type { TableSource } from '../sources/open-table.js'
import { LINES } from './output-form.js'
import { onThisThread } from './this-thread.js'

/** What is rendered, and where it goes. */
export interface TableOptions extends RunListener {
  readonly prompt: Prompt
  /** A file of any kind that `readTable` reads, or records of a program. */
  readonly records: TableSource
  /** Gets one line of JSON for each record, whole lines at a time. */
  readonly to: Sink
  /** Gets a line of JSON for each record that is rejected. */
  readonly rejected?: Sink
  readonly values?: Readonly<Record<string, unknown>>
  readonly seed?: number
  readonly locale?: string
  /** The record variable that gets the row. Default: the only one. */
  readonly as?: string
  /** What names the records. Default: the first column with identifiers, else the row numbers. */
  readonly names?: PlainNames
  /** Ends after this many records that fit. */
  readonly take?: number
  /** Renders only the record of this id. */
  readonly only?: string
  /** The size of the table in bytes, for progress. */
  readonly bytes?: number
  readonly onRejected?: (row: RejectedRow) => void
  readonly onProgress?: (progress: RunProgress) => void
  readonly onHeading?: (problems: readonly Problem[]) => void
  readonly notice?: (problem: Problem) => void
  /** Ends the run between two records. */
  readonly signal?: AbortSignal
}

/** What came of it. */
export interface TableReport {
  readonly written: number
  readonly rejected: number
  /** How many records of the table were read. */
  readonly records: number
  readonly interrupted: boolean
}

/**
 * Renders a prompt for every record of a table, as JSON Lines: `{"record":…,"row":…,"prompt":…,"turns":[…]}`.
 * Rows that do not fit are rejected; the others are written, in the order of the table. Memory does not grow with the table.
 *
 * @param options - The prompt, the records, and where the lines go.
 * @returns How many records were written and rejected.
 * @throws ProblemError if the table cannot be used, or has no record with the id `only`.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const to = createWriteStream(join(scratch, 'prompts.jsonl'))
 * const report = await renderTable({ prompt: library.prompt('survey/grade'), records: 'demo/marram-house/data/objects.csv', to, take: 3 })
 * report.written // => 3
 */
export async function renderTable(options: TableOptions): Promise<TableReport> {
  const { prompt, take, only, values, locale, as, names, seed, onHeading, notice, to, rejected, records: source, ...listener } = options
  const shape = { ...(values && { values }), ...(locale !== undefined && { locale }), ...(as !== undefined && { as }) }
  const batch = plainBatch(prompt, shape, names)
  const line = { ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) }
  const counts = newCounts()
  const streams = new RunStreams({ output: { sink: to }, rejected })
  const selection = new Selection({ take, only })
  const blocks = onThisThread({ batch, source, form: LINES, line, ...(onHeading && { onHeading }), ...(notice && { notice }) })
  const whole = await work({ ...listener, step: { blocks, counts }, selection, to: streams })
  await streams.end()
  return { written: counts.written, rejected: counts.rejected, records: selection.count, interrupted: !whole }
}
