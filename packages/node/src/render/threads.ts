import { takesFiles } from '../sources/file-cells.js'
import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { Worker } from 'node:worker_threads'
import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { selected, type Block } from '../runs/block.js'
import { sharedMemory } from '../runs/buffer-pool.js'
import type { Selection } from '../runs/selection.js'
import { cuts, cuttingOf, type Cut, type Cutting } from '../sources/cutter.js'
import type { TableFile } from '../sources/open-table.js'
import { unpacked, type PackedBlock } from './packed-block.js'
import type { Rendering } from './render-step.js'
import type { RenderRun } from './render-run.js'
import type { FaultData, FromWorker, ToWorker, WorkerStart } from './worker-messages.js'

/** Blocks that are under way for each thread: one is rendered while the next waits. */
const AHEAD = 2
/** Buffers that each thread fills in turn: for those blocks, and for one that is being written. */
const BUFFERS = AHEAD + 1

/**
 * Renders a run's records on several threads, in order: this one cuts the table into blocks of whole rows, the others read and render them.
 * The results are the same, byte for byte, as on one thread.
 */
export class Threads {
  private constructor(
    private readonly threads: readonly Thread[],
    private readonly cutting: Cutting,
    private readonly notice: Rendering['notice'],
  ) {}

  /** Threads for a run; undefined if one thread is enough, or if its table has to be read as a whole. */
  static async for(
    rendering: Rendering,
    { workers, bare, to, output }: Pick<RenderRun, 'workers' | 'bare' | 'to' | 'output'>,
    { folder, at }: Pick<WorkerStart, 'folder' | 'at'>,
  ): Promise<Threads | undefined> {
    const { batch, known: headings = [], named = null } = rendering
    const table = rendering.source as TableFile
    // Attached files cannot be passed to another thread; a sample is drawn from all records.
    if (workers < 2 || batch.model.sample || takesFiles(batch) || Object.values(batch.values).some((value) => typeof value === 'object'))
      return undefined
    const cutting = await cuttingOf(table)
    if (!cutting) return undefined
    const { delimiter } = cutting
    const { values, locale, model } = batch
    const definition = model.content as WorkerStart['definition']
    const start: WorkerStart = {
      folder,
      at,
      definition,
      values,
      locale,
      output: to ?? output,
      bare,
      headings,
      named,
      name: table.from,
      delimiter,
      buffers: BUFFERS,
    }
    return new Threads(
      Array.from({ length: workers }, () => new Thread(start)),
      cutting,
      rendering.notice,
    )
  }

  /** The records of the table, which may have been moved since. */
  async *blocks({ from }: TableFile, selection: Selection): AsyncGenerator<Block> {
    const { threads, cutting, notice } = this
    const waiting: Rendered[] = []
    let turn = 0
    let fault: Error | undefined
    try {
      for await (const cut of cuts(from, cutting, { name: from, ...(notice && { notice }) })) {
        const thread = threads[turn++ % threads.length]
        if (thread) waiting.push(thread.render(cut))
        if (waiting.length >= threads.length * AHEAD) yield* nextOf(waiting, selection)
        if (selection.full) return
      }
    } catch (thrown) {
      // The rows before it are written first.
      fault = thrown instanceof Error ? thrown : new Error(String(thrown))
    }
    while (waiting.length > 0) yield* nextOf(waiting, selection)
    if (fault !== undefined) throw fault
  }

  async end(): Promise<void> {
    await Promise.all(this.threads.map((thread) => thread.end()))
  }
}

/** Rows that are being rendered. */
interface Rendered {
  readonly blocks: Promise<readonly PackedBlock[]>
  /** A record as it stands in its table. */
  readonly raw: (row: number) => Promise<unknown>
  readonly end: number
}

async function* nextOf(waiting: Rendered[], selection: Selection): AsyncGenerator<Block> {
  const first = waiting.shift()
  for (const block of (await first?.blocks) ?? []) {
    const raw = (place: number) => first?.raw(block.rows[place] ?? 0) ?? Promise.resolve()
    yield await selected({ ...unpacked(block), onTurn: [], bytesRead: first?.end ?? 0 }, selection, raw)
    if (selection.full) return
  }
}

/** The threads' own file lies beside this one; where many are bundled into one, in a folder near by. */
const WORKER = ['./worker.js', '../worker.js', '../render/worker.js']
  .map((path) => new URL(path, import.meta.url))
  .find((url) => existsSync(fileURLToPath(url)))

class Thread {
  private readonly worker: Worker
  private readonly waiting: { resolve: (answer: FromWorker) => void; reject: (fault: unknown) => void }[] = []
  private fault: Error | undefined
  private blocks = 0
  private readonly shared: Uint8Array[] = []

  constructor(start: WorkerStart) {
    this.worker = new Worker(WORKER ?? new URL('./worker.js', import.meta.url), { workerData: start })
    // Answers come in the order of what was asked.
    this.worker.on('message', (answer: FromWorker) => this.waiting.shift()?.resolve(answer))
    this.worker.on('error', (fault) => this.fail(fault))
    this.worker.on('exit', (code) => code !== 0 && this.fail(new Error(`a worker exited with code ${code}`)))
  }

  render({ bytes, end, ...cut }: Cut): Rendered {
    const block = ++this.blocks
    const blocks = this.ask({ ...cut, bytes: this.copied(bytes, block % AHEAD) }).then((answer) => answer.blocks ?? [])
    // Heard of when its turn comes.
    blocks.catch(() => undefined)
    return { blocks, end, raw: async (row) => (await this.ask({ block, row })).raw }
  }

  async end(): Promise<void> {
    await this.worker.terminate()
  }

  /** The bytes where the thread can read them: as many blocks before have been read. */
  private copied(bytes: Uint8Array, place: number): Uint8Array {
    let memory = this.shared[place]
    if (!memory || memory.length < bytes.length) memory = this.shared[place] = sharedMemory(2 * bytes.length)
    memory.set(bytes)
    return memory.subarray(0, bytes.length)
  }

  private async ask(message: ToWorker): Promise<FromWorker> {
    if (this.fault) throw this.fault
    const answered = new Promise<FromWorker>((resolve, reject) => this.waiting.push({ resolve, reject }))
    this.worker.postMessage(message)
    const answer = await answered
    if (answer.fault) throw thrown(answer.fault)
    return answer
  }

  private fail(fault: Error): void {
    this.fault = fault
    for (const { reject } of this.waiting.splice(0)) reject(fault)
  }
}

/** What was thrown on a thread, thrown here. */
function thrown(fault: FaultData): Error {
  if ('problems' in fault)
    return new ProblemError(fault.problems.map(({ code, data }) => (problem as (code: string, data: unknown) => Problem)(code, data)))
  return Object.assign(new Error(fault.message), { stack: fault.stack })
}
