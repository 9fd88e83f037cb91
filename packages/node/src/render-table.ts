import { secrets } from './output/secrets.js'
import { plainBatch, type Problem, type Prompt } from 'dunelight'
import { BlockMaker, type Aside, type Block } from './batches/block.js'
import { LINES } from './batches/output-form.js'
import type { TableSource } from './sources/open-table.js'
import { readRecords } from './sources/records.js'

/** What lines are written to: any of Node's writable streams. */
export interface Sink {
  write(bytes: Uint8Array, done: (fault?: Error | null) => void): unknown
  once(event: 'error', listener: (fault: Error) => void): unknown
  off(event: 'error', listener: (fault: Error) => void): unknown
}

export interface TableOptions {
  readonly prompt: Prompt
  /** A file of any kind that `readTable` reads, or records of a program. */
  readonly records: TableSource
  /** Gets one line of JSON for each record, whole lines at a time. */
  readonly to: Sink
  readonly given?: Readonly<Record<string, unknown>>
  readonly seed?: number
  readonly locale?: string
  /** Ends after so many rendered records. */
  readonly take?: number
  /** Renders only the record of this id. */
  readonly only?: string
  readonly onAside?: (aside: Aside) => void
  readonly onHeading?: (problems: readonly Problem[]) => void
  readonly onNotice?: (problem: Problem) => void
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
 * aside while the rest goes on. Lines are written whole and in order, a part of the table at a time; while one part is written the next is
 * rendered.
 *
 * @throws ProblemError where the table itself cannot be used.
 */
export async function renderTable(options: TableOptions): Promise<TableReport> {
  const { prompt, take = Infinity, only, signal, given, locale, seed, onHeading, onNotice } = options
  const batch = plainBatch(prompt, { ...(given && { given }), ...(locale !== undefined && { locale }) })
  const maker = new BlockMaker(batch, LINES, { ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) })
  const out = new Writing(options.to)
  const setting = { ...(onHeading && { onHeading }), ...(onNotice && { notice: onNotice }) }
  let rendered = 0
  let aside = 0
  let lastRow = 0
  for await (const chunk of readRecords(batch, options.records, setting)) {
    if (signal?.aborted) break
    const block = maker.block(
      only === undefined ? chunk : { ...chunk, records: [...chunk.records].filter((one) => one.id === only).slice(0, 1) },
    )
    const end = endOf(block, take - rendered)
    const asides = block.asides.filter((one) => one.at < end.count)
    for (const { at: _, ...one } of asides) options.onAside?.(one)
    aside += asides.length
    rendered += end.rendered
    lastRow = block.rows[end.count - 1] ?? lastRow
    if (end.rendered > 0) await out.write(block.bytes.subarray(0, end.length))
    options.onProgress?.(chunk.bytesRead, rendered)
    if (rendered >= take || (only !== undefined && block.ids.length > 0)) break
  }
  await out.done()
  return { rendered, aside, lastRow, interrupted: signal?.aborted ?? false }
}

/** How far into a block so many rendered records reach. */
export function endOf({ lengths }: Block, most: number): { count: number; rendered: number; length: number } {
  let rendered = 0
  let length = 0
  for (let i = 0; i < lengths.length; i++) {
    if (rendered >= most) return { count: i, rendered, length }
    if (lengths[i]! > 0) rendered++
    length += lengths[i]!
  }
  return { count: lengths.length, rendered, length }
}

/** Writes one text while the next is made. */
class Writing {
  private pending: Promise<void> = Promise.resolve()

  constructor(private readonly to: Sink) {}

  async write(bytes: Uint8Array): Promise<void> {
    await this.pending
    this.pending = writeTo(this.to, bytes)
    // Heard of with the next writing, or at the end.
    this.pending.catch(() => undefined)
  }

  done(): Promise<void> {
    return this.pending
  }
}

function writeTo(to: Sink, bytes: Uint8Array): Promise<void> {
  return new Promise((resolve, reject) => {
    const fail = (fault: Error) => reject(fault)
    to.once('error', fail)
    to.write(secrets.redactBytes(bytes), (fault) => {
      to.off('error', fail)
      if (fault) reject(fault)
      else resolve()
    })
  })
}
