import type { Problem } from 'dunelight'
import { selected, type Block } from '../runs/block.js'
import { BufferPool } from '../runs/buffer-pool.js'
import type { Selection } from '../runs/selection.js'
import { cuts, cuttingOf } from '../sources/cutter.js'
import { takesFiles } from '../sources/file-cells.js'
import type { TableFile } from '../sources/open-table.js'
import { firstHeadOf, type TableHead } from '../sources/records.js'
import { ByteBlocks } from './byte-blocks.js'
import type { Rendering } from './render-step.js'

/** One block is written while the next is rendered. */
const BUFFERS = 3

/** The blocks of a table that can be rendered as bytes, on this thread; undefined for any other. */
export async function byteTable(rendering: Rendering): Promise<((selection: Selection) => AsyncGenerator<Block>) | undefined> {
  const { batch, source, notice, onHeading } = rendering
  const table: TableFile | undefined = typeof source === 'string' ? { from: source } : 'from' in source ? source : undefined
  if (!table || batch.model.sample || takesFiles(batch)) return undefined
  // What is wrong with a table is said where it is read as values.
  const cutting = await cuttingOf(table).catch(() => undefined)
  if (!cutting) return undefined
  const notices: Problem[] = []
  const head = await headFor(rendering, table, (p) => notices.push(p)).catch(() => undefined)
  if (!head) return undefined
  const isWhole = cutting.delimiter !== undefined || rendering.known !== undefined
  const setting = { ...rendering, name: table.from, headings: head.known, named: head.named, delimiter: cutting.delimiter, isWhole }
  const bytes = ByteBlocks.for(setting, new BufferPool(BUFFERS))
  if (!bytes) return undefined
  for (const p of notices) notice?.(p)
  onHeading?.(bytes.problems)
  return async function* (selection) {
    for await (const cut of cuts(table.from, cutting, { name: table.from, ...(notice && { notice }) })) {
      const raw = (row: number) => Promise.resolve(bytes.raw(cut, row))
      const block = { ...bytes.render(cut), bytesRead: cut.end }
      yield await selected(block, selection, (place) => raw(block.rows[place] ?? 0))
      if (selection.full) return
    }
  }
}

/** The headings of a table and the one that names its records, if they are not known yet. */
function headFor({ batch, known, named }: Rendering, table: TableFile, notice: (p: Problem) => void): Promise<TableHead> {
  if (known && named !== undefined) return Promise.resolve({ known, named })
  return firstHeadOf(table, batch.model.called ? null : undefined, notice)
}
