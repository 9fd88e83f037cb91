import { existsSync } from 'node:fs'
import { isAscii, isUtf8 } from 'node:buffer'
import { open } from 'node:fs/promises'
import { fileURLToPath } from 'node:url'
import { Worker } from 'node:worker_threads'
import { problem, ProblemError } from 'dunelight'
import { delimiterOf } from '@dunelight/tables'
import { formatOf, type TableFile } from '../sources/open-table.js'
import type { Block } from './block.js'
import { headingsOf, type Renderer, type Rendering } from './blocks.js'
import { sharedRoom } from './rooms.js'
import { cuts, wholeRows, type Cut, type Delimiter } from './cutter.js'
import type { FromWorker, ToRender, ToWorker, WorkerStart } from './worker.js'

/** Blocks that are under way for each thread: one is rendered while the next waits. */
const AHEAD = 2
/** Rooms that each thread fills in turn: for those blocks, and for one that is being written. */
const ROOMS = AHEAD + 1

/** What threads have to be told before they can render. */
export interface ThreadsStart extends Omit<WorkerStart, 'headings' | 'delimiter' | 'rooms'> {
  readonly count: number
}

/**
 * Renders a run's records on several threads, in order: this one cuts the table into blocks of whole rows, the others read and render them. What
 * is written is the same, byte for byte, as on one thread. The threads open the library as soon as they are begun, whatever this one does
 * meanwhile.
 */
export class Threads implements Renderer {
  private constructor(
    private readonly threads: readonly Thread[],
    private readonly beginning: { readonly delimiter: Delimiter; readonly start: number },
    private readonly notice: Rendering['notice'],
  ) {}

  static async begin(rendering: Rendering, { count, ...start }: ThreadsStart): Promise<Threads> {
    const place = await beginning(rendering.source as TableFile)
    const begin: WorkerStart = { ...start, headings: await headingsOf(rendering), delimiter: place.delimiter, rooms: ROOMS }
    return new Threads(
      Array.from({ length: count }, () => new Thread(begin)),
      place,
      rendering.notice,
    )
  }

  async *blocks({ from }: TableFile): AsyncGenerator<Block> {
    const { threads, beginning } = this
    const under: { block: Promise<Block>; end: number }[] = []
    let turn = 0
    const encoding = new Encoding(from, this.notice)
    for await (const cut of cuts(from, beginning.delimiter, beginning.start)) {
      const block = threads[turn++ % threads.length]!.render(cut, encoding.of(cut.bytes))
      // Heard of when its turn comes.
      block.catch(() => undefined)
      under.push({ block, end: cut.end })
      if (under.length < threads.length * AHEAD) continue
      const first = under.shift()!
      yield { ...(await first.block), bytesRead: first.end }
    }
    for (const { block, end } of under) yield { ...(await block), bytesRead: end }
  }

  async end(): Promise<void> {
    await Promise.all(this.threads.map((thread) => thread.end()))
  }
}

/** Where the rows of a table begin: behind its mark and, of comma separated text, behind the headings. */
async function beginning(table: TableFile): Promise<{ delimiter: Delimiter; start: number }> {
  const file = await open(table.from, 'r')
  try {
    for (let size = 1 << 16; ; size *= 8) {
      const room = new Uint8Array(size)
      const { bytesRead } = await file.read(room, 0, size, 0)
      const bytes = room.subarray(0, bytesRead)
      const mark = bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? 3 : 0
      if (formatOf(table) === 'jsonl') return { delimiter: undefined, start: mark }
      const text = Buffer.from(bytes.buffer, mark, bytesRead - mark).toString('latin1')
      const delimiter = delimiterOf(text.replace(/\r\n?/g, '\n'))
      const start = mark + firstRow(bytes.subarray(mark), delimiter)
      if (start < bytesRead || bytesRead < size) return { delimiter, start }
    }
  } finally {
    await file.close()
  }
}

/** The end of the first row that is not blank. */
function firstRow(bytes: Uint8Array, delimiter: Delimiter): number {
  for (let end = bytes.indexOf(10); end >= 0; end = bytes.indexOf(10, end + 1)) {
    const rows = wholeRows(bytes.subarray(0, end + 1), delimiter, false)
    if (rows.count > 0) return rows.end
  }
  return bytes.length
}

/** The encoding of blocks, told as on one thread: UTF-8 until a block is none. */
class Encoding {
  private proven = false
  private other = false

  constructor(
    private readonly name: string,
    private readonly notice: Rendering['notice'],
  ) {}

  of(bytes: Uint8Array): 'utf-8' | 'windows-1252' {
    if (this.other) return 'windows-1252'
    if (isAscii(bytes)) return 'utf-8'
    if (isUtf8(bytes)) {
      this.proven = true
      return 'utf-8'
    }
    if (this.proven) throw new ProblemError([problem('not-text', { file: this.name })])
    this.other = true
    this.notice?.(problem('encoding-guessed', { file: this.name }))
    return 'windows-1252'
  }
}

/** The threads' own file stands beside this one; where many are joined into one, in a folder near by. */
const WORKER = ['./worker.js', '../worker.js', '../batches/worker.js']
  .map((path) => new URL(path, import.meta.url))
  .find((url) => existsSync(fileURLToPath(url)))

class Thread {
  private readonly worker: Worker
  private readonly waiting: { resolve: (answer: FromWorker) => void; reject: (fault: unknown) => void }[] = []
  private fault: Error | undefined
  private blocks = 0
  private readonly rooms: Uint8Array[] = []

  constructor(begin: WorkerStart) {
    this.worker = new Worker(WORKER!, { workerData: begin })
    // Answers come in the order of what was asked.
    this.worker.on('message', (answer: FromWorker) => this.waiting.shift()?.resolve(answer))
    this.worker.on('error', (fault) => this.fail(fault))
    this.worker.on('exit', (code) => code !== 0 && this.fail(new Error(`a thread ended with ${code}`)))
  }

  async render({ bytes, row }: Cut, encoding: ToRender['encoding']): Promise<Block> {
    const number = ++this.blocks
    const { block } = await this.ask({ bytes: this.shared(bytes, number % AHEAD), row, encoding })
    return { ...block!, raw: async (at) => (await this.ask({ block: number, at })).raw }
  }

  async end(): Promise<void> {
    await this.worker.terminate()
  }

  /** The bytes where the thread can read them: as many blocks before have been read. */
  private shared(bytes: Uint8Array, place: number): Uint8Array {
    let room = this.rooms[place]
    if (!room || room.length < bytes.length) room = this.rooms[place] = sharedRoom(2 * bytes.length)
    room.set(bytes)
    return room.subarray(0, bytes.length)
  }

  private async ask(message: ToWorker): Promise<FromWorker> {
    if (this.fault) throw this.fault
    const answered = new Promise<FromWorker>((resolve, reject) => this.waiting.push({ resolve, reject }))
    this.worker.postMessage(message)
    const answer = await answered
    if (answer.fault !== undefined) throw new Error(answer.fault)
    return answer
  }

  private fail(fault: Error): void {
    this.fault = fault
    for (const one of this.waiting.splice(0)) one.reject(fault)
  }
}
