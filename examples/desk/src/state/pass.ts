import type { Problem } from 'dunelight'
import { defined } from 'dunelight/host'
import { Pass, type FaultOfWorker, type FromWorker, type ToWorker } from '../model/pass.js'
import type { DeskTable } from '../model/table.js'
import type { Desk } from './desk.js'
import type { PageState } from './page-state.js'

/** Milliseconds after the last key until the whole table is rendered again. */
const PAUSE = 150

/** How often a worker that could not start is started, with a pause of these milliseconds. */
const STARTS = 3
const START_PAUSE = 500

/** Renders the whole table in a worker whenever the files, the table or the selection change. */
export class PassRunner {
  private worker: Worker | undefined
  private timer: ReturnType<typeof setTimeout> | undefined
  private passes = 0
  private starts = 0
  /** The table that the worker has. */
  private workerTable: DeskTable | undefined

  constructor(private readonly desk: Desk) {
    desk.store.subscribe((now, before) => this.follow(now, before))
  }

  /** Called when the first sheet is drawn: the table is not rendered before. */
  start(): void {
    this.starts++
    this.worker = new Worker(new URL('../model/pass.worker.ts', import.meta.url), { type: 'module' })
    this.worker.addEventListener('message', ({ data }: MessageEvent<FromWorker | FaultOfWorker>) => this.hear(data))
    this.worker.addEventListener('error', ({ message }) => this.restart(message))
    this.look()
  }

  /** A broken connection can lose the worker's script: without a new start no row would ever be rendered. */
  private restart(why: string | undefined): void {
    this.worker?.terminate()
    this.worker = undefined
    this.workerTable = undefined
    if (this.starts < STARTS) setTimeout(() => this.start(), START_PAUSE)
    else this.warn(why || 'the script of the worker could not be loaded')
  }

  private warn(why: string): void {
    this.desk.change({ note: { message: `the table could not be rendered: ${why}`, bad: true } })
  }

  private follow(now: PageState, before: PageState): void {
    if (!this.worker) return
    const { library, table, selection } = now
    const isOther =
      library.data !== before.library.data ||
      table.table !== before.table.table ||
      table.joined !== before.table.joined ||
      selection.wanted !== before.selection.wanted
    if (isOther) this.look()
    else if (library.files !== before.library.files) {
      clearTimeout(this.timer)
      this.timer = setTimeout(() => this.look(), PAUSE)
    }
  }

  private hear(message: FromWorker | FaultOfWorker): void {
    const { pass } = this.desk.state.pass
    if (!pass || message.id !== pass.id) return
    if ('fault' in message) {
      this.warn(message.fault)
      return
    }
    pass.take(message)
    this.desk.change({ pass: { pass, rendered: pass.rendered } })
  }

  private look(): void {
    clearTimeout(this.timer)
    const { table, selection, library, pass } = this.desk.state
    if (!this.worker || !table.table || table.reading || selection.wanted.prompt === '') return
    if (this.workerTable !== table.table) {
      const joined = new Map([...table.joined].map(([path, deskTable]) => [path, plain(deskTable)]))
      this.tell({ kind: 'table', table: plain(table.table), joined })
      this.workerTable = table.table
    }
    const next = new Pass(++this.passes, table.table.rows.length, pass.pass)
    const { attachments, tables, files: saved } = library.data
    this.desk.change({ pass: { pass: next, rendered: 0 } })
    this.tell({ kind: 'look', id: next.id, saved, files: library.files, beside: { attachments, tables }, wanted: selection.wanted })
  }

  private tell(message: ToWorker): void {
    defined(this.worker).postMessage(message)
  }
}

/** Problems contain sources and hints that cannot be sent to a worker, which needs none of them. */
function plain(table: DeskTable): DeskTable {
  return { ...table, problems: [], misread: new Map([...table.misread.keys()].map((position) => [position, {} as Problem])) }
}
