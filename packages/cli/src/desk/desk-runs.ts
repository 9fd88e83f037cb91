import { realpath } from 'node:fs/promises'
import { join, sep } from 'node:path'
import { batchModel, ProblemError, type BatchModel, type Library } from 'dunelight'
import { problem } from 'dunelight/host'
import {
  askBatch,
  listRuns,
  openLibrary,
  readRun,
  readyModel,
  resumeAsking,
  type AskResult,
  type ReadyModel,
  type RunProgress,
} from '@dunelight/node'
import { countsOfTable, costOf, isAskRun, readyBatch, secrets, tableFile, type TableCounts, wordingOfRun } from '@dunelight/node/host'
import { environmentApprovers } from '../flags/open-library.js'
import type { Session } from './session.js'

/** Which table is asked for, and how. */
export interface Wanted {
  readonly prompt: string
  /** The batch, or the path of a table below the library's folder. */
  readonly batch?: string
  readonly table?: string
  readonly model?: string
  readonly take?: number
  readonly fresh?: boolean
}

/** What a run would need, before it is begun. */
export interface Estimate extends TableCounts {
  readonly model: string
  readonly isMock: boolean
  /** What the prompts cost by the model's prices, without the replies. */
  readonly cost: string | undefined
  /** The fewest seconds that the model's limits allow; undefined where it has none. */
  readonly seconds: number | undefined
  /** Requests that are left of the session; undefined for the mock, which is not counted. */
  readonly left: number | undefined
}

interface Active {
  readonly cancel: AbortController
  progress: RunProgress | undefined
  result: Promise<void>
}

/** The runs of a library that the desk begins, watches, pauses and resumes. */
export class DeskRuns {
  private readonly active = new Map<string, Active>()
  /** Why a run that was begun here ended early. */
  private readonly faults = new Map<string, string>()

  constructor(
    private readonly root: string,
    private readonly session: Session,
  ) {}

  folderOf(run: string): string {
    // The name of a folder, and no path.
    if (!/^[\p{L}\p{N}_.-]+$/u.test(run) || /^\.+$/.test(run))
      throw new ProblemError([problem('run-unreadable', { folder: run, why: 'there is no such run' })])
    return join(this.root, 'runs', run)
  }

  async list(): Promise<readonly object[]> {
    const runs = await listRuns(join(this.root, 'runs'))
    return [...runs].reverse().map(({ file, state }) => {
      const { run, started, ended, prompt, batch, counts, seconds, published } = file
      const active = this.active.get(run)
      return {
        run,
        state: active ? 'running' : state,
        started,
        ended,
        prompt: prompt.name,
        batch,
        seconds: active?.progress?.seconds ?? seconds,
        counts: active?.progress?.counts ?? counts,
        share: active?.progress?.share,
        published: published?.path,
        fault: this.faults.get(run),
        ...(isAskRun(file) && { asking: { model: file.asking.model, isMock: file.asking.isMock } }),
      }
    })
  }

  async estimate(wanted: Wanted): Promise<Estimate> {
    const { library, model, batch, table } = await this.ready(wanted)
    const counts = await countsOfTable(await readyBatch(library, batch, this.root, {}), this.root, table)
    const { requests } = model.limits.perMinute
    return {
      ...counts,
      model: model.name,
      isMock: model.isMock,
      cost: model.price && costOf({ sent: counts.tokens, received: 0 }, model.price),
      seconds: requests === undefined ? undefined : Math.max(0, Math.ceil(counts.fit / requests) - 1) * 60,
      left: model.isMock ? undefined : this.session.left,
    }
  }

  /** Begins a run; it goes on when the page is closed. Gives its name as soon as its folder is there. */
  async begin(wanted: Wanted): Promise<string> {
    const { library, model, batch, table } = await this.ready(wanted)
    const name = wanted.batch
    const { fresh = false } = wanted
    return this.watch((listener) => askBatch({ library, folder: this.root, name, batch, records: table, model, fresh, ...listener }))
  }

  async resume(run: string): Promise<string> {
    const folder = this.folderOf(run)
    const file = await readRun(folder)
    if (!isAskRun(file)) throw new ProblemError([problem('run-without-answers', { run })])
    const library = await openLibrary(this.root, wordingOfRun(file, environmentApprovers(process.env)))
    const { asking } = file
    const model = this.session.counted(readyModel(library, file.prompt.name, asking.model, asking.mock))
    return this.watch((listener) => resumeAsking(folder, { library, model, ...listener }))
  }

  pause(run: string): void {
    this.active.get(run)?.cancel.abort()
  }

  /** Ends all that is under way; what was answered is kept. */
  async close(): Promise<void> {
    for (const { cancel } of this.active.values()) cancel.abort()
    await Promise.all([...this.active.values()].map(({ result }) => result))
  }

  private async ready({ prompt, batch: name, table: path, model, take }: Wanted): Promise<{
    readonly library: Library
    readonly model: ReadyModel
    readonly batch: BatchModel
    readonly table: ReturnType<typeof tableFile>
  }> {
    const library = await openLibrary(this.root)
    const known = name === undefined ? undefined : library.artefacts.batches.get(name)
    if (name !== undefined && !known)
      throw new ProblemError([problem('use-unknown', { name, what: 'batch', known: [...library.artefacts.batches.keys()] })])
    const whole = known ?? batchModel({ prompt, records: { from: `../${path ?? ''}` } })
    const batch = take === undefined ? whole : { ...whole, take, content: { ...(whole.content as object), take } }
    if (name === undefined) await this.refuseOutside(path ?? '')
    if (!batch.records) throw new ProblemError([problem('key-missing', { key: 'records', of: 'a batch' })])
    const ready = readyModel(library, batch.prompt?.name ?? prompt, model)
    return { library, model: this.session.counted(ready), batch, table: tableFile(this.root, batch.records) }
  }

  /** A table that the page names lies below the library's folder, even through links. */
  private async refuseOutside(path: string): Promise<void> {
    const place = await realpath(join(this.root, path)).catch(() => undefined)
    if (place?.startsWith(this.root + sep)) return
    throw new ProblemError([problem('path-leaves-library', { path })])
  }

  private watch(
    start: (listener: {
      readonly signal: AbortSignal
      readonly onProgress: (progress: RunProgress) => void
      readonly onBegun: (run: string) => void
    }) => Promise<AskResult>,
  ): Promise<string> {
    const cancel = new AbortController()
    const active: Active = { cancel, progress: undefined, result: Promise.resolve() }
    return new Promise((resolve, reject) => {
      let name: string | undefined
      const onBegun = (run: string) => {
        name = run
        this.faults.delete(run)
        this.active.set(run, active)
        resolve(run)
      }
      const onProgress = (progress: RunProgress) => (active.progress = progress)
      active.result = start({ signal: cancel.signal, onProgress, onBegun }).then(
        () => this.ended(name),
        (fault: unknown) => {
          if (name === undefined) reject(fault instanceof Error ? fault : new Error(String(fault)))
          else this.ended(name, secrets.redact(fault instanceof Error ? fault.message : String(fault)))
        },
      )
    })
  }

  private ended(run: string | undefined, fault?: string): void {
    if (run === undefined) return
    this.active.delete(run)
    if (fault !== undefined) this.faults.set(run, fault)
  }
}
