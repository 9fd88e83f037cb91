import type { AnyPrompts } from 'dunelight'
import type { ClientPrompt } from './remote/client-prompt.js'
import { ServiceHttp, type HttpOptions } from './remote/http.js'
import { memoryCache, TextCache, type ClientCache } from './local/cache.js'
import { LocalPrompt, tooOld } from './local/local-prompt.js'
import { LocalWordings, type LocalWording } from './local/local-wordings.js'
import { Refusal } from './remote/refusal.js'
import { RemotePrompt } from './remote/remote-prompt.js'
import type { PromptEntry } from './remote/wire.js'

/** How prompts are rendered in the application's own process. */
export interface LocalOptions {
  /** The id of the library, as dunelight.yaml has it: editions of another one are refused. */
  readonly library: string
  /** The digest of the file of approvers. Without it the service is trusted to send the right editions. */
  readonly approversDigest?: string
  /** Where editions are kept. Default: nowhere, and a restart needs the service. */
  readonly cache?: ClientCache
  /** Seconds between two looks at the channel. Default: 30. */
  readonly refreshSeconds?: number
  /** Days for which editions are used without the service. Default: 7. */
  readonly maxAgeDays?: number
  /** What happens when they are older: `throw` refuses to render; a function hears of it. Default: `throw`. */
  readonly onStale?: 'throw' | ((checkedAt: Date) => void)
  /** Counts tokens, for prompts whose examples have a budget. */
  readonly countTokens?: (text: string) => number
}

/** How an application connects to a service. */
export interface ConnectOptions extends HttpOptions {
  /** The channel whose editions are used. Default: the caller's on the service, `live` in local mode. */
  readonly channel?: string
  /** Renders in the application's own process. Default: the service renders. */
  readonly local?: LocalOptions
}

type ValuesIn<T> = T extends { readonly values: infer V extends object } ? V : Readonly<Record<string, unknown>>
type ReplyIn<T> = T extends { readonly reply: infer R } ? R : unknown

/** A connection to the prompts of a service. `P` gives their types: what `dunelight types` prints. */
export interface Client<P extends object = AnyPrompts> {
  /** A prompt by its name. Whether there is one is known when it is used. */
  prompt<N extends keyof P & string>(name: N): ClientPrompt<ValuesIn<P[N]>, ReplyIn<P[N]>>
  /** The prompts that the caller may use. */
  list(): Promise<readonly PromptEntry[]>
  /** Hears the names of prompts whose wording changed, in local mode; returns what ends that. */
  onChange(listener: (names: readonly string[]) => void): () => void
  /** Looks at the channel now, in local mode. */
  refresh(): Promise<void>
  /** Why the last look at the channel changed nothing, in local mode. */
  readonly refreshFault: Error | undefined
  /** Ends the looks at the channel. */
  close(): void
}

const REFRESH_SECONDS = 30
const MAX_AGE_DAYS = 7
const DAY = 86_400_000

/**
 * Connects to a service.
 *
 * @param url - The address of the service.
 * @param options - The token, the channel, and whether prompts are rendered here.
 * @returns The prompts by name.
 * @throws Refusal if the service cannot be reached and nothing was kept; ProblemError if what it sends cannot be trusted.
 * @example
 * const client = await connect('http://127.0.0.1:7120', { token: 'dl_k3v9mz2q_…' })
 * const prompt = client.prompt('survey/grade')
 * prompt.name // => 'survey/grade'
 */
export async function connect<P extends object = AnyPrompts>(url: string, options: ConnectOptions = {}): Promise<Client<P>> {
  const { channel, local, ...http } = options
  const service = new ServiceHttp(url, http)
  const client = local ? await LocalClient.open(service, channel ?? 'live', local) : new RemoteClient(service, channel)
  return client as unknown as Client<P>
}

class RemoteClient implements Client {
  readonly refreshFault = undefined

  constructor(
    private readonly http: ServiceHttp,
    private readonly channel: string | undefined,
  ) {}

  prompt(name: string): ClientPrompt {
    return new RemotePrompt(name, this.http, this.channel)
  }

  list(): Promise<readonly PromptEntry[]> {
    return listed(this.http, this.channel)
  }

  onChange(): () => void {
    return () => undefined
  }

  refresh(): Promise<void> {
    return Promise.resolve()
  }

  close(): void {
    // Nothing is open.
  }
}

class LocalClient implements Client {
  refreshFault: Error | undefined
  private readonly listeners = new Set<(names: readonly string[]) => void>()
  private clock: ReturnType<typeof setInterval> | undefined
  private refreshing: Promise<void> | undefined

  private constructor(
    private readonly http: ServiceHttp,
    private readonly channel: string,
    private readonly options: LocalOptions,
    private readonly wordings: LocalWordings,
  ) {}

  static async open(http: ServiceHttp, channel: string, options: LocalOptions): Promise<LocalClient> {
    const { library, approversDigest, cache, refreshSeconds = REFRESH_SECONDS, countTokens } = options
    const kept = new TextCache(cache ?? memoryCache(), library)
    const wordings = new LocalWordings({ http, cache: kept, library, channel, approversDigest, countTokens })
    const client = new LocalClient(http, channel, options, wordings)
    await wordings.restore()
    await client.refresh()
    // Without the service, what was kept is used; without that there is nothing to begin with.
    if (client.refreshFault && !(client.refreshFault instanceof Refusal && wordings.names.length > 0)) throw client.refreshFault
    client.clock = setInterval(() => void client.refresh(), refreshSeconds * 1000)
    if (typeof client.clock === 'object') client.clock.unref()
    return client
  }

  prompt(name: string): ClientPrompt {
    return new LocalPrompt(name, () => this.current(name))
  }

  list(): Promise<readonly PromptEntry[]> {
    return listed(this.http, this.channel)
  }

  onChange(listener: (names: readonly string[]) => void): () => void {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  refresh(): Promise<void> {
    return (this.refreshing ??= this.refreshNow().finally(() => {
      this.refreshing = undefined
    }))
  }

  close(): void {
    clearInterval(this.clock)
  }

  private async refreshNow(): Promise<void> {
    try {
      const changed = await this.wordings.refresh()
      this.refreshFault = undefined
      if (changed.length > 0) for (const listener of this.listeners) listener(changed)
    } catch (fault) {
      // The wordings stay as they are.
      this.refreshFault = fault instanceof Error ? fault : new Error(String(fault))
    }
  }

  private async current(name: string): Promise<LocalWording> {
    const { maxAgeDays = MAX_AGE_DAYS, onStale = 'throw' } = this.options
    const { checkedAt } = this.wordings
    if (Date.now() - checkedAt > maxAgeDays * DAY) {
      if (onStale === 'throw') throw tooOld(maxAgeDays)
      onStale(new Date(checkedAt))
    }
    return this.wordings.find(name)
  }
}

async function listed(http: ServiceHttp, channel: string | undefined): Promise<readonly PromptEntry[]> {
  const query = channel === undefined ? '' : `?channel=${encodeURIComponent(channel)}`
  return ((await http.get(`/prompts${query}`)) as { readonly prompts: readonly PromptEntry[] }).prompts
}
