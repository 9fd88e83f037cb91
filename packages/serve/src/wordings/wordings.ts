import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { ProblemError } from 'dunelight'
import { nearest, readLibraryFiles } from 'dunelight/host'
import { APPROVERS_FILE, expiryOf, readLibraryTexts, sha256, textBytes, type ApproverOptions } from '@dunelight/node/host'
import { watch, type FSWatcher } from 'chokidar'
import { LRUCache } from 'lru-cache'
import { mayUse, type Caller } from '../callers/caller.js'
import { ServiceFault } from '../faults/fault.js'
import { channelState, editionNumbered, type ChannelReading } from './channel-state.js'
import { WORKING, type Wording, type WordingState } from './wording.js'
import { workingState } from './working-files.js'

export interface WordingOptions {
  /** The library's folder, links resolved. */
  readonly root: string
  /** The channel that is served where none is named; undefined for the working files. */
  readonly channel: string | undefined
  readonly approvers: ApproverOptions
  /** Whether nothing is served any more when the channel statement has expired. */
  readonly strictExpiry: boolean
}

/** Which wording is asked for, by the name of its prompt. */
export interface WordingRequest {
  readonly edition?: number
  readonly channel?: string
}

/** Editions that were asked for by number, kept open. */
const MOST_NUMBERED = 50
/** Milliseconds after a change: several files change together. */
const SETTLING = 80
/** Files of a library beside its prompts that decide how they are asked. */
const BESIDE = /^(?:dunelight|models)\.yaml$|^envelopes\//
/** Folders of a library whose files are none of its wording. */
const NOT_WATCHED = /^\/(?:runs|out|answers|audit)(?:\/|$)|(?:^|\/)(?:node_modules|\.[^/]+)(?:\/|$)/
/** What else is none of it where editions are served. */
const NOT_SERVED = /^\/(?!(?:editions|envelopes)(?:\/|$)|(?:dunelight|models|approvers)\.yaml$)/

/** The wordings that are in use. They change while the service runs: each request uses one of them from its beginning to its end. */
export class Wordings {
  private readonly numbered = new LRUCache<string, Wording>({ max: MOST_NUMBERED })
  private readonly listeners = new Set<() => void>()
  private watcher: FSWatcher | undefined
  private reloading: Promise<void> | undefined
  private isChanged = false
  private clock: NodeJS.Timeout | undefined
  /** Why the last change was not taken. */
  private fault: Error | undefined

  private constructor(
    private readonly options: WordingOptions,
    private reading: ChannelReading,
    private state: WordingState,
  ) {}

  /**
   * Reads them for the first time.
   *
   * @throws ProblemError if nothing can be served.
   */
  static async open(options: WordingOptions): Promise<Wordings> {
    const { reading, state } = await read(options, undefined)
    return new Wordings(options, reading, state)
  }

  get current(): WordingState {
    return this.state
  }

  /** Why the last change was not taken; undefined if it was. */
  get refusal(): Error | undefined {
    return this.fault
  }

  get isWorking(): boolean {
    return this.options.channel === undefined
  }

  /** The day on which the channels expired, where nothing may be served for that; undefined while something may. */
  get expired(): string | undefined {
    return this.options.strictExpiry ? expiryOf(this.state.statement) : undefined
  }

  /** Hears of each change that was taken; returns what ends that. */
  onChange(listener: () => void): () => void {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  /** The wordings that a caller may use, by its default channel or by another that it may name. */
  forCaller(caller: Caller, channel?: string): Wording[] {
    const byName = this.state.channels.get(this.channelFor(caller, channel))
    return [...(byName?.values() ?? [])].filter((wording) => mayUse(caller, wording)).sort((a, b) => (a.name < b.name ? -1 : 1))
  }

  /**
   * The wording that a request means.
   *
   * @throws ServiceFault if there is none, or if the caller may not use it.
   */
  async find(caller: Caller, name: string, { edition, channel }: WordingRequest = {}): Promise<Wording> {
    const { expired } = this
    if (expired !== undefined) throw new ServiceFault('unavailable', `the channels expired on ${expired}`)
    if (edition === undefined) return this.inChannel(caller, name, channel)
    if (channel !== undefined) throw new ServiceFault('request-invalid', 'a request names an edition or a channel, not both')
    if (!caller.editions) throw new ServiceFault('not-allowed', `${caller.name} may not name editions by number`)
    if (this.isWorking) throw new ServiceFault('edition-unknown', 'the working files are served, which have no editions')
    return this.byNumber(caller, name, edition)
  }

  /** The text of the file of approvers; undefined without one. Clients trust it by its digest. */
  async approversText(): Promise<string | undefined> {
    const { root, approvers } = this.options
    return readFile(approvers.file ?? join(root, APPROVERS_FILE), 'utf8').catch(() => undefined)
  }

  /** The digests of a prompt's editions that the channels of a caller point at, whether they may be used or not. */
  digestsFor(caller: Caller, name: string): readonly string[] {
    const targets = new Map(Object.entries(this.state.statement?.channels ?? {})).get(name) ?? {}
    const own = this.channelsOf(caller)
    return Object.entries(targets).flatMap(([channel, { digest }]) => (own.includes(channel) ? [digest] : []))
  }

  /** Reads everything again. What cannot be trusted or has errors changes nothing, and is told by `refusal`. */
  reload(): Promise<void> {
    this.isChanged = true
    return (this.reloading ??= this.reloadAll().finally(() => {
      this.reloading = undefined
    }))
  }

  /** Reads everything again after each change of the files. */
  async watch(): Promise<void> {
    const { root, channel, approvers } = this.options
    // The whole folder is watched: a path that does not exist yet can be missed when it is made and filled at once.
    const isOutside = channel === undefined ? NOT_WATCHED : NOT_SERVED
    const watcher = watch([root, ...(approvers.file === undefined ? [] : [approvers.file])], {
      ignoreInitial: true,
      ignored: (path) => path.startsWith(root) && isOutside.test(path.slice(root.length)),
    })
    this.watcher = watcher
    watcher.on('all', () => {
      clearTimeout(this.clock)
      this.clock = setTimeout(() => void this.reload(), SETTLING)
    })
    await new Promise<void>((resolve) => watcher.once('ready', () => resolve()))
  }

  async close(): Promise<void> {
    clearTimeout(this.clock)
    await this.watcher?.close()
    await this.reloading
  }

  private async reloadAll(): Promise<void> {
    while (this.isChanged) {
      this.isChanged = false
      try {
        const { reading, state } = await read(this.options, this.state)
        this.reading = reading
        this.state = state
        this.fault = undefined
      } catch (fault) {
        this.fault = fault instanceof Error ? fault : new Error(String(fault))
      }
      // An edition may have been revoked.
      this.numbered.clear()
      for (const listener of this.listeners) listener()
    }
  }

  private channelsOf({ channels }: Caller): readonly string[] {
    return channels.length > 0 ? channels : [this.options.channel ?? WORKING]
  }

  private channelFor(caller: Caller, channel: string | undefined): string {
    if (this.isWorking) return WORKING
    const own = this.channelsOf(caller)
    if (channel !== undefined && !own.includes(channel))
      throw new ServiceFault('not-allowed', `${caller.name} may not use the channel "${channel}"`)
    return channel ?? own[0] ?? WORKING
  }

  private inChannel(caller: Caller, name: string, channel: string | undefined): Wording {
    if (this.isWorking && channel !== undefined)
      throw new ServiceFault('request-invalid', 'the working files are served, which are in no channel')
    const wording = this.state.channels.get(this.channelFor(caller, channel))?.get(name)
    if (wording && mayUse(caller, wording)) return wording
    const refused = this.state.refused.find((item) => item.name === name && item.channel === this.channelFor(caller, channel))
    if (refused && caller.prompts === 'all')
      throw new ServiceFault('unavailable', `the prompt "${name}" is not served`, {
        problems: refused.why instanceof ProblemError ? refused.why.problems : [],
      })
    throw this.unknown(caller, name, channel)
  }

  private unknown(caller: Caller, name: string, channel: string | undefined): ServiceFault {
    const near = nearest(
      name,
      this.forCaller(caller, channel).map((wording) => wording.name),
    )
    return new ServiceFault('prompt-unknown', `unknown prompt "${name}"${near === undefined ? '' : `; did you mean "${near}"?`}`)
  }

  private async byNumber(caller: Caller, name: string, number: number): Promise<Wording> {
    const key = `${name}@${number}`
    const known = this.numbered.get(key)
    const { state } = this
    const wording = known ?? (await openNumbered(this.reading, name, number))
    // What changed meanwhile may have revoked it.
    if (!known && state === this.state) this.numbered.set(key, wording)
    if (!mayUse(caller, wording)) throw this.unknown(caller, name, undefined)
    return wording
  }
}

async function openNumbered(reading: ChannelReading, name: string, number: number): Promise<Wording> {
  try {
    return await editionNumbered(reading, name, number)
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    const isUnknown = fault.problems.some(({ code }) => code === 'edition-unknown')
    throw new ServiceFault(isUnknown ? 'edition-unknown' : 'unavailable', fault.message, { problems: fault.problems, cause: fault })
  }
}

async function read(
  { root, channel, approvers }: WordingOptions,
  before: WordingState | undefined,
): Promise<{ readonly reading: ChannelReading; readonly state: WordingState }> {
  const { files } = await readLibraryTexts(root)
  const texts = Object.entries(files).filter(([path]) => BESIDE.test(path))
  const beside = sha256(textBytes(JSON.stringify(texts.sort())))
  const library = readLibraryFiles(files, () => undefined).library.id
  const reading = { root, library, approvers, beside }
  return { reading, state: channel === undefined ? await workingState(root, beside, before) : await channelState(reading, before) }
}
