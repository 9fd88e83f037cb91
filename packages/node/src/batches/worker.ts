import { parentPort, workerData } from 'node:worker_threads'
import { batchModel, batchOf, ProblemError } from 'dunelight'
import { CsvRows, recordsTable, readTextList, type Misread, type Row } from '@dunelight/tables'
import { openLibraryFor } from '../open-for.js'
import { narrow } from '../sources/narrow.js'
import { readPools, RecordMaker, type RecordChunk } from '../sources/records.js'
import { BlockMaker, rawOf, type Block } from './block.js'
import { lineOptions } from './line-options.js'
import { outputForm } from './output-form.js'
import { Rooms, sharedRoom } from './rooms.js'

/** What a thread needs to begin: the same that the run's own thread was begun with. */
export interface WorkerStart {
  readonly folder: string
  readonly definition: Readonly<Record<string, unknown>>
  readonly given: Readonly<Record<string, unknown>>
  readonly locale: string | undefined
  readonly output: string
  readonly bare: boolean
  readonly headings: readonly string[]
  /** Of comma separated text; undefined for lines. */
  readonly delimiter: string | undefined
  /** How many blocks of a thread are held at once: one that is rendered, the others waiting to be written. */
  readonly rooms: number
}

/** A block of whole rows to be rendered. */
export interface ToRender {
  readonly bytes: Uint8Array
  readonly row: number
  readonly encoding: 'utf-8' | 'windows-1252'
}

/** A block, or a record of an earlier one as it stands in its table; blocks count from 1. */
export type ToWorker = ToRender | { readonly block: number; readonly at: number }

export interface FromWorker {
  readonly block?: Omit<Block, 'raw'>
  readonly raw?: unknown
  readonly fault?: string
}

const begin = workerData as WorkerStart

/** What renders rows on this thread. */
async function prepare() {
  const model = batchModel(begin.definition)
  const library = await openLibraryFor(begin.folder, model.prompt?.name)
  const batch = batchOf(library, model, { given: begin.given, ...(begin.locale !== undefined && { locale: begin.locale }) })
  const pools = await readPools(batch, begin.folder)
  const form = outputForm(begin.output, batch, begin.headings)
  const maker = new BlockMaker(batch, form, await lineOptions(batch, model, begin.bare), new Rooms(begin.rooms, sharedRoom))
  const read = async ({ bytes, row, encoding }: ToRender): Promise<RecordChunk> => {
    const { headings, rows } =
      begin.delimiter === undefined ? await fromLines(bytes) : { headings: begin.headings, rows: fromCsv(bytes, encoding, begin.delimiter) }
    return { headings, records: new RecordMaker(batch, { pools }, row).records(headings, rows), bytesRead: 0, rows: rows.length }
  }
  return {
    render: async (block: ToRender): Promise<Omit<Block, 'raw'>> => {
      const { raw: _, ...rest } = maker.block(await read(block))
      return rest
    },
    raw: async (block: ToRender, at: number): Promise<unknown> => {
      const { headings, records } = await read(block)
      return rawOf([...records][at]!.cells, headings)
    },
  }
}

function fromCsv(bytes: Uint8Array, encoding: ToRender['encoding'], delimiter: string): readonly (Row | Misread)[] {
  const rows = new CsvRows(delimiter)
  const utf8 = encoding === 'utf-8'
  const text = utf8 ? narrow.text(bytes) : new TextDecoder(encoding).decode(new Uint8Array(bytes))
  const plain = utf8 && narrow.isAscii(bytes)
  return [...rows.add({ text, plain, mend: utf8 ? narrow.mend : undefined }), ...rows.end()]
}

async function fromLines(bytes: Uint8Array) {
  const all: (Row | Misread)[] = []
  let headings: readonly string[] = []
  const source = (async function* () {
    await Promise.resolve()
    yield bytes
  })()
  for await (const some of recordsTable(readTextList(source, 'jsonl', { name: 'lines', narrow, of: 'records' }), 'lines', begin.headings)) {
    headings = some.headings
    all.push(...some.rows)
  }
  return { headings, rows: all }
}

const ready = prepare()
/** The last blocks: a record of one may be asked for as it stands in its table. Holding all of them costs more than reading one again. */
const asked = new Map<number, ToRender>()
let blocks = 0
let before: Promise<void> = Promise.resolve()

parentPort!.on('message', (message: ToWorker) => {
  // One after the other, so that answers come in the order of what was asked.
  before = before
    .then(() => answer(message))
    .catch((fault: unknown) => parentPort!.postMessage({ fault: wordsFor(fault) } satisfies FromWorker))
})

async function answer(message: ToWorker): Promise<void> {
  const { render, raw } = await ready
  if ('block' in message) {
    parentPort!.postMessage({ raw: await raw(asked.get(message.block)!, message.at) } satisfies FromWorker)
    return
  }
  asked.set(++blocks, message)
  asked.delete(blocks - begin.rooms)
  parentPort!.postMessage({ block: await render(message) } satisfies FromWorker)
}

function wordsFor(fault: unknown): string {
  if (fault instanceof ProblemError) return fault.problems.map((p) => p.message).join('\n')
  return fault instanceof Error ? (fault.stack ?? fault.message) : String(fault)
}
