import { ProblemError, type PreparedValues, type Problem, type Prompt } from 'dunelight'
import { readRecords, type RecordRow } from './records.js'

/** What lines are written to: any of Node's writable streams. */
export interface Sink {
  write(text: string, done: (fault?: Error | null) => void): unknown
  once(event: 'error', listener: (fault: Error) => void): unknown
  off(event: 'error', listener: (fault: Error) => void): unknown
}

/** A record that was not rendered, and why. */
export interface SetAside {
  readonly row: number
  readonly id: string
  readonly problems: readonly Problem[]
}

export interface TableOptions {
  readonly prompt: Prompt
  readonly records: string
  /** Gets one line of JSON for each record, whole lines at a time. */
  readonly to: Sink
  readonly given?: Readonly<Record<string, unknown>>
  readonly seed?: number
  readonly locale?: string
  /** Ends after so many rendered records. */
  readonly take?: number
  /** Renders only the record of this id. */
  readonly only?: string
  readonly onAside?: (aside: SetAside) => void
  readonly onHeading?: (problems: readonly Problem[]) => void
  readonly onProgress?: (bytesRead: number, rendered: number) => void
  /** Ends the run between two lines. */
  readonly signal?: AbortSignal
}

export interface TableReport {
  readonly rendered: number
  readonly aside: number
  /** The last row that was looked at. */
  readonly lastRow: number
  readonly interrupted: boolean
}

/**
 * Renders a prompt for every record of a table, as JSON Lines: `{"record":…,"row":…,"prompt":…,"turns":[…]}`. Rows that do not fit are set
 * aside while the rest goes on. Lines are written whole and in order, a chunk of the table at a time.
 *
 * @throws ProblemError where the table itself cannot be used.
 */
export async function renderTable(options: TableOptions): Promise<TableReport> {
  const { prompt, take = Infinity, only, signal } = options
  const head = `,"prompt":${JSON.stringify(prompt.name)},"turns":`
  let rendered = 0
  let aside = 0
  let lastRow = 0
  const set = (record: RecordRow, problems: readonly Problem[]) => {
    aside++
    options.onAside?.({ row: record.row, id: record.id, problems })
  }
  const source = readRecords(
    options.records,
    prompt,
    { ...(options.given && { given: options.given }), ...(options.locale !== undefined && { locale: options.locale }) },
    options.onHeading,
  )
  for await (const { records, bytesRead } of source) {
    let lines = ''
    let done = false
    for (const record of records) {
      if (rendered >= take || signal?.aborted) {
        done = true
        break
      }
      lastRow = record.row
      if (only !== undefined && record.id !== only) continue
      done = only !== undefined
      const turns = record.prepared ? attempt(record.prepared, record.id, options) : record.problems
      if (typeof turns === 'string') {
        lines += `{"record":${JSON.stringify(record.id)},"row":${record.row}${head}${turns}}\n`
        rendered++
      } else set(record, turns)
      if (done) break
    }
    if (lines !== '') await write(options.to, lines)
    options.onProgress?.(bytesRead, rendered)
    if (done || rendered >= take || signal?.aborted) break
  }
  return { rendered, aside, lastRow, interrupted: signal?.aborted ?? false }
}

/** The turns as JSON, or what kept them from being rendered. */
function attempt(prepared: PreparedValues, record: string, { seed, locale }: TableOptions): string | readonly Problem[] {
  try {
    return prepared.json({ record, ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) })
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems
    throw fault
  }
}

/** Writes and waits until the stream has room again. */
function write(to: Sink, text: string): Promise<void> {
  return new Promise((resolve, reject) => {
    const fail = (fault: Error) => reject(fault)
    to.once('error', fail)
    to.write(text, (fault) => {
      to.off('error', fail)
      if (fault) reject(fault)
      else resolve()
    })
  })
}
