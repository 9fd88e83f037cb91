import { parentPort, workerData } from 'node:worker_threads'
import { batchModel, batchOf, ProblemError } from 'dunelight'
import { CsvRows, recordsTable, readTextList, type Misread, type Row } from '@dunelight/tables'
import { openLibraryFor } from '../open-for.js'
import { narrow } from '../sources/narrow.js'
import { readPools, RecordMaker } from '../sources/records.js'
import { BlockMaker, type Block } from './block.js'
import { lineOptions } from './line-options.js'
import { outputForm } from './output-form.js'

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
}

/** A block of whole rows to be rendered. */
export interface ToRender {
  readonly bytes: Uint8Array<ArrayBuffer>
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
  const maker = new BlockMaker(batch, outputForm(begin.output, batch, begin.headings), await lineOptions(batch, model, begin.bare))
  return async ({ bytes, row, encoding }: ToRender): Promise<Block> => {
    const records = new RecordMaker(batch, { pools }, row)
    const table =
      begin.delimiter === undefined ? await fromLines(bytes) : { headings: begin.headings, rows: fromCsv(bytes, encoding, begin.delimiter) }
    const block = maker.block({ headings: table.headings, records: records.records(table.headings, table.rows), bytesRead: 0 })
    return { ...block, bytes: block.bytes.slice() }
  }
}

function fromCsv(bytes: Uint8Array, encoding: ToRender['encoding'], delimiter: string): readonly (Row | Misread)[] {
  const rows = new CsvRows(delimiter)
  const utf8 = encoding === 'utf-8'
  const text = utf8 ? narrow.text(bytes) : new TextDecoder(encoding).decode(bytes)
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
/** The records of the last blocks: one of them may be asked for as it stands in its table. */
const rows = new Map<number, Block['raw']>()
const HELD = 4
let blocks = 0
let before: Promise<void> = Promise.resolve()

parentPort!.on('message', (message: ToWorker) => {
  // One after the other, so that answers come in the order of what was asked.
  before = before
    .then(() => answer(message))
    .catch((fault: unknown) => parentPort!.postMessage({ fault: wordsFor(fault) } satisfies FromWorker))
})

async function answer(message: ToWorker): Promise<void> {
  if ('block' in message) {
    parentPort!.postMessage({ raw: rows.get(message.block)?.(message.at) ?? null } satisfies FromWorker)
    return
  }
  const { raw, ...block } = await (await ready)(message)
  rows.set(++blocks, raw)
  rows.delete(blocks - HELD)
  parentPort!.postMessage({ block } satisfies FromWorker, [block.bytes.buffer as ArrayBuffer])
}

function wordsFor(fault: unknown): string {
  if (fault instanceof ProblemError) return fault.problems.map((p) => p.message).join('\n')
  return fault instanceof Error ? (fault.stack ?? fault.message) : String(fault)
}
