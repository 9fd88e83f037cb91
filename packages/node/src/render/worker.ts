import { parentPort, workerData } from 'node:worker_threads'
import { batchModel, ProblemError } from 'dunelight'
import { batchOf } from 'dunelight/host'
import type { Misread, Row } from '@dunelight/tables'
import { openLibraryFor } from '../library/open-for.js'
import { BufferPool, sharedMemory } from '../runs/buffer-pool.js'
import { rawOf } from '../runs/rejected.js'
import { Selection } from '../runs/selection.js'
import { doSteps } from '../runs/step.js'
import { rowsOfCut } from '../sources/cut-rows.js'
import { readPools, RecordMaker, type RecordChunk } from '../sources/records.js'
import { ByteBlocks } from './byte-blocks.js'
import { lineOptions } from './line-options.js'
import { outputForm } from './output-form.js'
import { packed, type PackedBlock } from './packed-block.js'
import { renderStep } from './render-step.js'
import type { FaultData, FromWorker, ToRender, ToWorker, WorkerStart } from './worker-messages.js'

const start = workerData as WorkerStart

/** What renders rows on this thread. */
async function prepare() {
  const { folder, at, values, locale, headings, named } = start
  const model = batchModel(start.definition)
  const library = await openLibraryFor(folder, model.prompt?.name, at === undefined ? {} : { at })
  const batch = batchOf(library, model, { values, ...(locale !== undefined && { locale }) })
  const pools = await readPools(batch, folder)
  const form = outputForm(start.output, batch, headings)
  const line = await lineOptions(batch, start.bare)
  const step = renderStep({ batch, form, line })
  const buffers = new BufferPool(start.buffers, sharedMemory)
  const bytes = ByteBlocks.for({ ...start, batch, form, line, pools, isWhole: true }, buffers)
  const read = (block: ToRender): RecordChunk => {
    const rows = rowsOf(block)
    const records = new RecordMaker(batch, { pools, named }, dataRows(block)).records(headings, rows)
    return { headings, records, bytesRead: 0, rows: rows.length }
  }
  return {
    render: async (message: ToRender): Promise<PackedBlock[]> => {
      if (bytes) return [packed(bytes.render(message))]
      const blocks: PackedBlock[] = []
      // Which records are wanted is known only where all of them pass by.
      for await (const block of doSteps(once(read(message)), new Selection({ all: true }), step, {
        buffers,
        most: Infinity,
      }))
        blocks.push(packed(block))
      return blocks
    },
    raw: (message: ToRender, row: number): unknown => {
      if (bytes) return bytes.raw(message, row)
      for (const record of read(message).records) if (record.row === row) return record.raw ?? rawOf(record.cells, headings)
      return undefined
    },
  }
}

/** Data rows before a block: of a table with cells its heading is none. */
function dataRows({ rows }: ToRender): number {
  return start.delimiter === undefined ? rows : Math.max(rows - 1, 0)
}

function rowsOf(block: ToRender): readonly (Row | Misread)[] {
  const { rows: all } = rowsOfCut(block, start)
  return start.delimiter !== undefined && block.rows === 0 ? all.slice(1) : all
}

async function* once<T>(value: T): AsyncGenerator<T> {
  yield await Promise.resolve(value)
}

const ready = prepare()
/** The last blocks: a record of one may be asked for as it is in its table. Keeping all of them costs more than reading one again. */
const rendered = new Map<number, ToRender>()
let blocks = 0
let before: Promise<void> = Promise.resolve()

parentPort?.on('message', (message: ToWorker) => {
  // One after the other, so that answers come in the order of what was asked.
  before = before.then(() => answer(message)).catch((fault: unknown) => send({ fault: faultData(fault) }))
})

function send(message: FromWorker): void {
  parentPort?.postMessage(message)
}

async function answer(message: ToWorker): Promise<void> {
  const { render, raw } = await ready
  if ('row' in message) {
    const block = rendered.get(message.block)
    send({ raw: block && raw(block, message.row) })
    return
  }
  rendered.set(++blocks, message)
  rendered.delete(blocks - start.buffers)
  send({ blocks: await render(message) })
}

/** A fault as data: problems stay problems on the other side. */
function faultData(fault: unknown): FaultData {
  if (fault instanceof ProblemError) return { problems: fault.problems.map(({ code, data }) => ({ code, data })) }
  const { message, stack = '' } = fault instanceof Error ? fault : new Error(String(fault))
  return { message, stack }
}
