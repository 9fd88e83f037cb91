import type { Desk } from './desk.js'
import { ServiceFault } from './service.js'

/** An edition as the page shows it. */
export interface ShownEdition {
  readonly number: number
  readonly created: string
  readonly author?: string
  readonly note?: string
  readonly sameAs?: number
  readonly channels: readonly string[]
  /** `free`: the library has no approvers. */
  readonly state: 'free' | 'approved' | 'waiting' | 'revoked'
  readonly words: string
  /** What is run in a terminal to sign it. */
  readonly command?: string
  /** Its texts, by path. */
  readonly files: Readonly<Record<string, string>>
}

/** A commit that changed the wording; without one, the files as they are now. */
export interface ShownChange {
  readonly commit?: string
  readonly time?: string
  readonly author?: string
  readonly subject?: string
  readonly what: string
  readonly editions: readonly number[]
}

export interface ProductionData {
  readonly prompt: string
  readonly hasApprovers: boolean
  /** What moves a channel where it has to be signed. */
  readonly channelCommand?: string
  readonly channels: readonly string[]
  readonly editions: readonly ShownEdition[]
  readonly problems: readonly string[]
  /** Where only editions were asked for, there is none. */
  readonly history: readonly ShownChange[]
  readonly historyNotes: readonly string[]
}

export interface Difference {
  readonly from: string
  readonly to: string
  readonly isSame: boolean
  readonly files: readonly { readonly path: string; readonly does: 'added' | 'removed' | 'changed'; readonly patch?: string }[]
  /** How many records differ. */
  readonly words: string
  readonly records: readonly {
    readonly record: string
    /** How many other records differ in the same words. */
    readonly alike: number
    readonly role: string
    readonly first: string
    readonly other: string
  }[]
}

export interface ProductionState {
  readonly data: ProductionData | undefined
  /** What is compared with the working files: `7`, `git:0a1b…`. */
  readonly chosen: string | undefined
  readonly difference: Difference | undefined
  readonly doing: string | undefined
}

export const NO_PRODUCTION: ProductionState = { data: undefined, chosen: undefined, difference: undefined, doing: undefined }

/** The editions and the history of the chosen prompt. */
export class ProductionActions {
  /** The prompt that the data is of, or that it is asked for, and whether its history is a part of it. */
  private asked: { readonly prompt: string; readonly history: boolean } | undefined

  constructor(private readonly desk: Desk) {
    desk.store.subscribe(() => this.follow())
  }

  async read(): Promise<void> {
    const { wanted, view } = this.desk.state.selection
    if (wanted.prompt === '') return
    const asked = (this.asked = { prompt: wanted.prompt, history: view === 'history' })
    await this.guarded('reading the history …', async () => {
      const data = await this.desk.service.production(asked.prompt, asked.history)
      if (this.asked === asked) this.change({ data })
    })
  }

  /** Compares another wording with the working files. */
  async choose(chosen: string): Promise<void> {
    const { prompt } = this.desk.state.selection.wanted
    this.change({ chosen, difference: undefined })
    await this.guarded('rendering the records …', async () => {
      const difference = await this.desk.service.difference(`${prompt}@${chosen}`, prompt)
      if (this.desk.state.production.chosen === chosen) this.change({ difference })
    })
  }

  async publish(note: string, uncommitted: boolean): Promise<boolean> {
    const { prompt } = this.desk.state.selection.wanted
    return this.done('publishing …', () => this.desk.service.publish({ prompt, note, uncommitted }))
  }

  async point(channel: string, edition: number): Promise<void> {
    const { prompt } = this.desk.state.selection.wanted
    await this.done('moving the channel …', () => this.desk.service.moveChannel({ prompt, channel, edition }))
  }

  /** Does something that changes the editions, and shows them as they are then. */
  private async done(doing: string, act: () => Promise<string>): Promise<boolean> {
    const message = await this.guarded(doing, act)
    if (message === undefined) return false
    this.desk.change({ note: { message, bad: false } })
    await this.read()
    return true
  }

  private async guarded<T>(doing: string, act: () => Promise<T>): Promise<T | undefined> {
    this.change({ doing })
    try {
      return await act()
    } catch (fault) {
      if (!(fault instanceof ServiceFault)) throw fault
      this.desk.change({ note: { message: fault.message, bad: true } })
      return undefined
    } finally {
      this.change({ doing: undefined })
    }
  }

  /** Where editions are shown or asked in, they are those of the chosen prompt. */
  private follow(): void {
    const { view, wanted } = this.desk.state.selection
    if (wanted.prompt === '' || !['history', 'ask', 'beside'].includes(view)) return
    const isSame = this.asked?.prompt === wanted.prompt
    if (isSame && (this.asked?.history === true || view !== 'history')) return
    this.asked = { prompt: wanted.prompt, history: view === 'history' }
    this.change(isSame ? {} : { data: undefined, chosen: undefined, difference: undefined })
    void this.read()
  }

  private change(production: Partial<ProductionState>): void {
    this.desk.change({ production })
  }
}
