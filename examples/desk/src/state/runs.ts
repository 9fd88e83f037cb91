import type { Desk } from './desk.js'
import {
  bestOf,
  doubtsOf,
  type AssembledRecord,
  type Decided,
  type Decision,
  type DocumentFormat,
  type Estimate,
  type ListedRun,
  type OpenRun,
  type ReviewedRecord,
  type WantedRun,
} from './runs-data.js'
import { ServiceFault } from './service.js'

/** Which records of a run are listed. */
export type ReviewFilter = 'all' | 'open' | 'accepted' | 'discarded' | 'doubts' | 'rejected'

export interface RunsState {
  readonly list: readonly ListedRun[] | undefined
  /** A batch of an assembly that a run would be of, in place of the chosen prompt. */
  readonly assembly: { readonly name: string; readonly batch: string } | undefined
  readonly model: string | undefined
  readonly take: number | undefined
  readonly estimate: Estimate | undefined
  /** What the server is doing, in words; undefined where nothing is under way. */
  readonly doing: string | undefined
  readonly open: OpenRun | undefined
  readonly filter: ReviewFilter
  readonly label: string | undefined
  /** The chosen record of the open run. */
  readonly record: string | undefined
  /** Records that are being asked for again. */
  readonly asking: ReadonlySet<string>
  /** The record of the open run's assembly that is shown, with its document. */
  readonly assembled: AssembledRecord | undefined
}

export const NO_RUNS: RunsState = {
  list: undefined,
  assembly: undefined,
  model: undefined,
  take: undefined,
  estimate: undefined,
  doing: undefined,
  open: undefined,
  filter: 'all',
  label: undefined,
  record: undefined,
  asking: new Set(),
  assembled: undefined,
}

const ENDED: Readonly<Partial<Record<ListedRun['state'], string>>> = {
  done: 'done',
  waiting: 'waits for a choice',
  interrupted: 'paused',
  failed: 'ended early',
}

/** Milliseconds between two looks at runs that are under way. */
const PAUSE = 500

/** Begins runs of the chosen table, watches them, and reviews their answers. */
export class RunActions {
  private clock: ReturnType<typeof setTimeout> | undefined

  constructor(private readonly desk: Desk) {
    desk.store.subscribe((now, before) => {
      if (now.selection.wanted !== before.selection.wanted || now.table.path !== before.table.path) this.change({ estimate: undefined })
    })
  }

  /** The table that a run would be of; undefined where the server has none. */
  get wanted(): WantedRun | undefined {
    const { selection, table, runs } = this.desk.state
    const { prompt, batch } = selection.wanted
    if (!runs.assembly && batch === undefined && table.path === undefined) return undefined
    return {
      ...(runs.assembly
        ? { prompt: runs.assembly.name, batch: runs.assembly.batch }
        : { prompt, ...(batch !== undefined ? { batch } : { table: table.path ?? '' }) }),
      ...(runs.model !== undefined && { model: runs.model }),
      ...(runs.take !== undefined && { take: runs.take }),
    }
  }

  choose(choice: Partial<Pick<RunsState, 'model' | 'take' | 'assembly'>>): void {
    this.change({ ...choice, estimate: undefined })
  }

  async refresh(): Promise<void> {
    clearTimeout(this.clock)
    const list = await this.desk.service.runs().catch((fault: unknown) => this.tell(fault))
    if (!list) return
    const before = this.desk.state.runs.list
    this.change({ list })
    const ended = list.find(
      ({ run, state }) => state !== 'running' && before?.some((other) => other.run === run && other.state === 'running'),
    )
    const { open } = this.desk.state.runs
    if (ended && open?.run === ended.run) await this.open(ended.run)
    if (ended)
      this.desk.change({ note: { message: `run ${ended.run}: ${ENDED[ended.state] ?? ended.state}`, bad: ended.state === 'failed' } })
    const isShown = this.desk.state.selection.view === 'runs'
    if (isShown && list.some(({ state }) => state === 'running')) this.clock = setTimeout(() => void this.refresh(), PAUSE)
  }

  async estimate(): Promise<void> {
    const { wanted } = this
    if (!wanted) return
    await this.doing('counting the records …', async () => this.change({ estimate: await this.desk.service.estimate(wanted) }))
  }

  async begin(): Promise<void> {
    const { wanted } = this
    if (!wanted) return
    await this.doing('starting …', async () => {
      const run = await this.desk.service.begin(wanted)
      this.desk.change({ note: { message: `run ${run} is under way`, bad: false } })
    })
    await this.refresh()
  }

  async pause(run: string): Promise<void> {
    await this.doing(`pausing ${run}: what is under way comes to its end …`, () => this.desk.service.pause(run))
    await this.refresh()
  }

  async resume(run: string): Promise<void> {
    await this.doing(`resuming ${run} …`, () => this.desk.service.resume(run))
    await this.refresh()
  }

  async open(run: string): Promise<void> {
    await this.doing(`reading ${run} …`, async () => {
      const open = await this.desk.service.openRun(run)
      this.change({ open, filter: 'all', label: undefined, record: open.records[0]?.record, assembled: undefined })
      const first = open.records[0]?.part?.record
      if (open.isAssembly && first !== undefined) await this.assemble(first)
    })
  }

  /** Shows a record of the open assembly: its parts and its document. The chosen part stays, if the record has it. */
  async assemble(record: string): Promise<void> {
    const { open, record: chosen } = this.desk.state.runs
    if (!open) return
    try {
      const assembled = await this.desk.service.assembled(open.run, record)
      if (this.desk.state.runs.open?.run !== open.run) return
      const [first] = assembled.parts
      const isThere = assembled.parts.some((part) => part.record === chosen)
      this.change({ assembled, record: isThere ? chosen : (assembled.parts.find(isToChoose) ?? first)?.record })
    } catch (fault) {
      this.tell(fault)
    }
  }

  /** Saves the document of the shown record as a file. */
  async exportDocument(as: DocumentFormat, allowOutOfDate: boolean): Promise<void> {
    const { open, assembled } = this.desk.state.runs
    if (!open || !assembled) return
    const { record } = assembled
    const blob = await this.desk.service.document(open.run, record, as, allowOutOfDate).catch((fault: unknown) => this.tell(fault))
    if (blob) saveFile(blob, `${record}.${as}`)
  }

  close(): void {
    this.change({ open: undefined, record: undefined, assembled: undefined })
    void this.refresh()
  }

  filter(filter: ReviewFilter, label = this.desk.state.runs.label): void {
    this.change({ filter, label })
    const [first] = this.listed
    if (!this.listed.some(({ record }) => record === this.desk.state.runs.record)) this.change({ record: first?.record })
  }

  /** The records of the open run that the filter lets through. */
  get listed(): OpenRun['records'] {
    return listedOf(this.desk.state.runs)
  }

  chooseRecord(record: string): void {
    this.change({ record })
  }

  /** Goes on in the list. */
  step(by: number): void {
    const { listed } = this
    const now = listed.findIndex(({ record }) => record === this.desk.state.runs.record)
    const next = listed[Math.max(0, Math.min(listed.length - 1, now + by))]
    if (next) this.change({ record: next.record })
  }

  async decide(decision: Decision): Promise<readonly Decided[]> {
    const { open } = this.desk.state.runs
    if (!open) return []
    const isAsking = decision.does === 'regenerate'
    if (isAsking) this.change({ asking: new Set([...this.desk.state.runs.asking, ...decision.records]) })
    try {
      const decided = await this.desk.service.decide(open.run, decision)
      this.take(decided)
      const { assembled } = this.desk.state.runs
      if (assembled) await this.assemble(assembled.record)
      return decided
    } catch (fault) {
      this.tell(fault)
      return []
    } finally {
      if (isAsking)
        this.change({ asking: new Set([...this.desk.state.runs.asking].filter((record) => !decision.records.includes(record))) })
    }
  }

  /** Accepts every record whose answer leaves nothing to look at. */
  async acceptSure(): Promise<void> {
    const sure = (this.desk.state.runs.open?.records ?? []).filter(
      (record) => record.state === 'open' && bestOf(record) !== undefined && doubtsOf(record).length === 0,
    )
    if (sure.length === 0) {
      this.desk.change({ note: { message: 'no open record is without doubts', bad: false } })
      return
    }
    await this.decide({ does: 'accept', records: sure.map(({ record }) => record) })
    this.desk.change({ note: { message: `${sure.length} accepted`, bad: false } })
  }

  async addCases(set: string, allowMock: boolean): Promise<void> {
    const { open } = this.desk.state.runs
    if (!open) return
    const words = await this.desk.service.addCases(open.run, set, allowMock).catch((fault: unknown) => this.tell(fault))
    if (words !== undefined) this.desk.change({ note: { message: words.split('\n').at(-1) ?? '', bad: false } })
    await this.desk.editing.lookAgain()
  }

  async export(as: 'csv' | 'xlsx' | 'jsonl'): Promise<void> {
    const { open } = this.desk.state.runs
    if (!open) return
    const blob = await this.desk.service.export(open.run, as).catch((fault: unknown) => this.tell(fault))
    if (blob) saveFile(blob, `${open.run}.${as}`)
  }

  private take(decided: readonly Decided[]): void {
    const { open } = this.desk.state.runs
    if (!open) return
    const now = new Map(decided.map(({ reviewed }) => [reviewed.record, reviewed]))
    this.change({ open: { ...open, records: open.records.map((record) => now.get(record.record) ?? record) } })
    const problem = decided.flatMap(({ record, problems }) => problems.map(({ message }) => `${record}: ${message}`))[0]
    if (problem !== undefined) this.desk.change({ note: { message: problem, bad: true } })
  }

  private async doing(words: string, act: () => Promise<void>): Promise<void> {
    this.change({ doing: words })
    try {
      await act()
    } catch (fault) {
      this.tell(fault)
    } finally {
      this.change({ doing: undefined })
    }
  }

  private change(runs: Partial<RunsState>): void {
    this.desk.change({ runs })
  }

  private tell(fault: unknown): undefined {
    if (!(fault instanceof ServiceFault)) throw fault
    this.desk.change({ note: { message: fault.message, bad: true } })
    return undefined
  }
}

/** Whether a person still has to choose an answer of this part. */
export function isToChoose({ part, state }: ReviewedRecord): boolean {
  return part?.chosenBy === 'person' && state !== 'accepted'
}

function saveFile(content: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}

/** The records of the open run that the filter lets through. */
export function listedOf({ open, filter, label }: Pick<RunsState, 'open' | 'filter' | 'label'>): OpenRun['records'] {
  const fits = {
    all: () => true,
    open: ({ state }) => state === 'open',
    accepted: ({ state }) => state === 'accepted',
    discarded: ({ state }) => state === 'discarded',
    doubts: (record) => bestOf(record) !== undefined && doubtsOf(record).length > 0,
    rejected: (record) => bestOf(record) === undefined,
  } satisfies Record<ReviewFilter, (record: OpenRun['records'][number]) => boolean>
  return (open?.records ?? []).filter(
    (record) =>
      fits[filter](record) && (label === undefined || (open?.labelled ?? []).some((column) => bestOf(record)?.answer?.[column] === label)),
  )
}
