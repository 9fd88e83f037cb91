import type { ProblemRecord } from 'dunelight'
import { defined, likeness, NEARLY_THE_SAME } from 'dunelight/host'
import { hasRows } from './page-state.js'
import { sheetOf, type Sheet } from '../model/sheet.js'
import type { AskedRecord, Models } from './asked.js'
import type { Desk } from './desk.js'
import { ServiceFault } from './service.js'
import { EDITED, otherWordings, withSettings, type Wording } from './wordings.js'

/** How a question is put: to which model, in which wording, with which settings over the prompt's own. */
export interface VariantChoice {
  readonly model: string | undefined
  readonly wording: string
  readonly settings: string
}

/** One column of the view: a choice, and the reply that came of it for the chosen record. */
export interface Variant extends VariantChoice {
  readonly id: number
  readonly state: 'idle' | 'asking' | 'done' | 'failed' | 'cancelled'
  /** The record and prompt that the reply is for. */
  readonly of: string | undefined
  /** The reply as far as it has come. */
  readonly text: string
  readonly asked: AskedRecord | undefined
  readonly problems: readonly ProblemRecord[]
  /** Why the model is asked once more. */
  readonly retry: string | undefined
}

export interface AskingState {
  readonly models: Models | undefined
  readonly variants: readonly Variant[]
  /** What was asked for the chosen record before, the latest first. */
  readonly history: readonly AskedRecord[]
}

const FIRST: Variant = {
  id: 1,
  model: undefined,
  wording: EDITED.value,
  settings: '',
  state: 'idle',
  of: undefined,
  text: '',
  asked: undefined,
  problems: [],
  retry: undefined,
}
export const NO_ASKING: AskingState = { models: undefined, variants: [FIRST], history: [] }

/** Beside each other, a wide screen shows no more. */
export const MOST_VARIANTS = 4

/** Puts the chosen record to models, in one variant or in several beside each other. */
export class AskActions {
  private readonly cancels = new Map<number, AbortController>()
  private ids = 1
  /** The record that the history is of. */
  private historyOf: string | undefined

  constructor(private readonly desk: Desk) {
    desk.store.subscribe(() => this.follow())
  }

  /** What a question of now is of: a reply to another record or prompt is not shown as this one's. */
  get subject(): string | undefined {
    const { shown, selection } = this.desk.state
    const { record } = shown.sheet
    return record && `${selection.wanted.prompt}\n${record.id}`
  }

  get isBusy(): boolean {
    return this.cancels.size > 0
  }

  async readModels(): Promise<void> {
    const models = await this.desk.service.models().catch((fault: unknown) => this.tell(fault))
    if (models) this.change({ models })
  }

  add(): void {
    const { variants } = this.desk.state.asking
    if (variants.length >= MOST_VARIANTS) return
    const { model, wording, settings } = defined(variants.at(-1))
    const other = otherWordings(this.desk).find(({ value }) => !variants.some((variant) => variant.wording === value))
    this.change({ variants: [...variants, { ...FIRST, id: ++this.ids, model, wording: other?.value ?? wording, settings }] })
  }

  remove(id: number): void {
    this.cancel(id)
    this.change({ variants: this.desk.state.asking.variants.filter((variant) => variant.id !== id) })
  }

  choose(id: number, choice: Partial<VariantChoice>): void {
    this.set(id, choice)
  }

  cancel(id: number): void {
    this.cancels.get(id)?.abort()
  }

  async allow(most: number): Promise<void> {
    const { models } = this.desk.state.asking
    const session = await this.desk.service.allow(most).catch((fault: unknown) => this.tell(fault))
    if (session && models) this.change({ models: { ...models, session } })
  }

  /** Asks in every variant. */
  async askAll(): Promise<void> {
    await Promise.all(this.desk.state.asking.variants.map(({ id }) => this.ask(id)))
  }

  /**
   * Asks in one variant.
   *
   * @param how `again`: for another answer to the same question; `fresh`: for one in place of the cached answer.
   */
  async ask(id: number, how: 'once' | 'again' | 'fresh' = 'once'): Promise<void> {
    const variant = this.variant(id)
    const { record, files, wording } = this.question(variant) ?? {}
    if (!record?.prepared || !files || !wording) return
    this.cancel(id)
    const cancel = new AbortController()
    this.cancels.set(id, cancel)
    const { wanted } = this.desk.state.selection
    const of = this.subject
    const before = variant.of === of ? (variant.asked?.candidate ?? 0) : 0
    this.set(id, { state: 'asking', of, text: '', asked: undefined, problems: [], retry: undefined })
    try {
      const events = this.desk.service.question(
        {
          files,
          prompt: wanted.prompt,
          ...(wanted.batch !== undefined && { batch: wanted.batch }),
          record: record.id,
          values: record.prepared.values,
          ...(variant.model !== undefined && { model: variant.model }),
          wording: variant.settings.trim() === '' ? wording.label : `${wording.label}, ${variant.settings.trim()}`,
          candidate: how === 'again' ? before + 1 : Math.max(1, before),
          fresh: how === 'fresh',
        },
        cancel.signal,
      )
      for await (const event of events) {
        if (event.kind === 'text') this.set(id, { text: this.variant(id).text.slice(0, event.from) + event.text })
        else if (event.kind === 'retry') this.set(id, { retry: event.why, text: '' })
        else if (event.kind === 'done') this.done(id, event.asked, event.session)
        else if (event.kind === 'failed') this.set(id, { state: 'failed', problems: event.problems })
        else this.set(id, { state: 'cancelled' })
        if ('session' in event) this.count(event.session)
      }
    } catch (fault) {
      if (cancel.signal.aborted) this.set(id, { state: 'cancelled' })
      else if (fault instanceof ServiceFault)
        this.set(id, { state: 'failed', problems: [{ code: 'file-unreadable', severity: 'error', message: fault.message, data: {} }] })
      else throw fault
    } finally {
      if (this.cancels.get(id) === cancel) this.cancels.delete(id)
    }
  }

  /** The sheet of a variant: what is sent, and what reads its reply. */
  sheet(variant: VariantChoice): Sheet {
    const { selection, editing, table, shown } = this.desk.state
    if (variant.wording === EDITED.value && variant.settings.trim() === '') return shown.sheet
    const subject = this.desk.subjectOf(this.filesOf(variant))
    return sheetOf(subject, selection.row, editing.hand, hasRows(table))
  }

  /** The first earlier reply of the record that is nearly the same. */
  similarTo(asked: AskedRecord): AskedRecord | undefined {
    const { text } = asked
    if (text === undefined || text.trim() === '') return undefined
    return this.desk.state.asking.history.find(
      (other) => other.at !== asked.at && other.text !== undefined && likeness(other.text, text) >= NEARLY_THE_SAME,
    )
  }

  private question(variant: Variant) {
    const wording = this.wordingOf(variant)
    const { record } = this.sheet(variant)
    const saved = this.desk.state.library.data.files
    const files = Object.fromEntries(Object.entries(this.filesOf(variant)).filter(([path, text]) => saved[path] !== text))
    return record && { record, wording, files: { ...wording.own, ...files } }
  }

  private filesOf(choice: VariantChoice): Readonly<Record<string, string>> {
    return withSettings(this.desk, this.wordingOf(choice).files(this.desk), choice.settings)
  }

  /** A wording that this prompt does not have, as another had it, is the one that is edited. */
  wordingOf({ wording }: VariantChoice): Wording {
    return otherWordings(this.desk).find(({ value }) => value === wording) ?? EDITED
  }

  private done(id: number, asked: AskedRecord, session: Models['session']): void {
    this.set(id, { state: 'done', asked, text: asked.text ?? this.variant(id).text, problems: asked.problems })
    this.count(session)
    if (this.historyOf === `${asked.prompt}\n${asked.record}`) this.change({ history: [asked, ...this.desk.state.asking.history] })
  }

  private count(session: Models['session']): void {
    const { models } = this.desk.state.asking
    if (models) this.change({ models: { ...models, session } })
  }

  /** Where the view is shown, the history is that of the chosen record. */
  private follow(): void {
    if (this.desk.state.selection.view !== 'ask') return
    const { subject } = this
    if (subject === this.historyOf) return
    this.historyOf = subject
    this.change({ history: [] })
    if (subject !== undefined) void this.readHistory(subject)
  }

  private async readHistory(subject: string): Promise<void> {
    const [prompt = '', record = ''] = subject.split('\n')
    const history = await this.desk.service.asked(prompt, record).catch((fault: unknown) => this.tell(fault))
    if (history && subject === this.historyOf) this.change({ history })
  }

  private variant(id: number): Variant {
    return this.desk.state.asking.variants.find((variant) => variant.id === id) ?? FIRST
  }

  private set(id: number, change: Partial<Variant>): void {
    this.change({ variants: this.desk.state.asking.variants.map((variant) => (variant.id === id ? { ...variant, ...change } : variant)) })
  }

  private change(asking: Partial<AskingState>): void {
    this.desk.change({ asking })
  }

  private tell(fault: unknown): undefined {
    if (!(fault instanceof ServiceFault)) throw fault
    this.desk.change({ note: { message: fault.message, bad: true } })
    return undefined
  }
}
