import type { Batch, LineOptions, Pool, Problem } from 'dunelight'
import { formatOf, type TableFile, type TableSource } from '../sources/open-table.js'
import { readRecords, type RecordChunk } from '../sources/records.js'
import { BlockMaker, type Block } from './block.js'
import type { OutputForm } from './output-form.js'
import { sampled } from './sample.js'

/** All that decides what a run writes. */
export interface Rendering {
  readonly batch: Batch
  readonly source: TableSource
  readonly pools: readonly Pool[]
  readonly form: OutputForm
  readonly line: LineOptions
  readonly notice?: (found: Problem) => void
  readonly onHeading?: (problems: readonly Problem[]) => void
}

/** The records of a run, those of its sample alone where there is one. */
export function recordsOf({ batch, source, pools, notice, onHeading }: Omit<Rendering, 'form' | 'line'>): AsyncGenerator<RecordChunk> {
  const chunks = readRecords(batch, source, { pools, ...(notice && { notice }), ...(onHeading && { onHeading }) })
  const { sample } = batch.model
  return sample ? sampled(chunks, sample.count, sample.seed) : chunks
}

/** What renders a run's records: this thread, or several others. */
export interface Renderer {
  /** The records of a run's table, in order. The first `skip` were rendered before, and may be handed over empty. */
  readonly blocks: (source: TableFile, skip: number) => AsyncIterable<Block>
  readonly end: () => Promise<void>
}

export function onThisThread(rendering: Rendering): Renderer {
  return { blocks: (source, skip) => renderBlocks({ ...rendering, source }, skip), end: () => Promise.resolve() }
}

/** Renders a run's records on this thread, but for the first `skip`, which were rendered before. */
export async function* renderBlocks(rendering: Rendering, skip = 0): AsyncGenerator<Block> {
  const maker = new BlockMaker(rendering.batch, rendering.form, rendering.line)
  let left = skip
  for await (const chunk of recordsOf(rendering)) {
    const block = maker.block(chunk, left)
    left = Math.max(0, left - block.ids.length)
    yield block
  }
}

/** Whether a run's table can be cut into blocks of whole rows without reading them: plain files of comma or tab separated text, or of lines. */
export function canBeCut({ model, given }: Batch, table: TableFile): boolean {
  const format = formatOf(table) ?? 'csv'
  // Files that are given are handed to no other thread.
  const plain = Object.values(given).every((one) => typeof one !== 'object')
  return plain && !model.sample && (format === 'csv' || format === 'tsv' || format === 'jsonl')
}

/** All headings that a run's table has: of records in a list, those of the last are known only at its end. */
export async function headingsOf({ batch, source, pools }: Pick<Rendering, 'batch' | 'source' | 'pools'>): Promise<readonly string[]> {
  const format =
    typeof source === 'string' || 'from' in source ? formatOf(typeof source === 'string' ? { from: source } : source) : undefined
  let all: readonly string[] = []
  for await (const { headings } of readRecords(batch, source, { pools })) {
    all = headings
    if (format !== 'jsonl' && format !== 'json' && format !== 'yaml') break
  }
  return all
}
