import { ProblemError, type Library } from 'dunelight'
import { defined, problem } from 'dunelight/host'
import { libraryOf, readApprovers, type Channels, type ChannelTarget, type Edition } from 'dunelight/editions'
import { Refusal } from '../remote/refusal.js'
import { pathOf, type ServiceHttp } from '../remote/http.js'
import type { TextCache } from './cache.js'
import { tableRows } from './table-rows.js'
import { verifiedChannels, verifiedEdition, type SentEdition, type Trust } from './verify.js'

/** How editions are fetched, and what is trusted. */
export interface LocalSetting {
  readonly http: ServiceHttp
  readonly cache: TextCache
  /** The id of the library. */
  readonly library: string
  readonly channel: string
  /** The digest of the file of approvers; undefined trusts the service. */
  readonly approversDigest: string | undefined
  readonly countTokens: ((text: string) => number) | undefined
}

/** A prompt's edition, open and verified. */
export interface LocalWording {
  readonly name: string
  readonly edition: number
  readonly digest: string
  readonly library: Library
}

/** What was seen of a service, and when it was last so. */
interface Seen {
  readonly serial: number
  /** When the channels were last those of the service, in milliseconds. */
  readonly at: number
  readonly etag?: string
}

interface KeptEdition extends SentEdition {
  readonly etag?: string
}

/** The editions that a client renders itself: fetched, verified, kept, and replaced as a whole when the channel moves. */
export class LocalWordings {
  private wordings = new Map<string, LocalWording>()
  private channels: Channels | undefined
  private trust: Trust | undefined
  private seen: Seen = { serial: 0, at: 0 }

  constructor(private readonly setting: LocalSetting) {}

  /** When the editions were last those of the service, in milliseconds; 0 if they never were. */
  get checkedAt(): number {
    return this.seen.at
  }

  /** The names that the channel has. */
  get names(): readonly string[] {
    const { channel } = this.setting
    return Object.entries(this.channels?.channels ?? {}).flatMap(([name, targets]) => (Object.hasOwn(targets, channel) ? [name] : []))
  }

  /**
   * Begins with what was kept: verified like anything that is fetched.
   *
   * @throws Refusal if what was kept cannot be trusted.
   */
  async restore(): Promise<void> {
    const { cache } = this.setting
    this.seen = (await cache.data<Seen>('seen')) ?? this.seen
    const approvers = await cache.data<string>('approvers')
    const channels = await cache.data<string>('channels')
    if (channels === undefined || (approvers === undefined && this.setting.approversDigest !== undefined)) return
    this.trust = this.trustIn(approvers)
    this.channels = this.verified(channels)
  }

  /**
   * Fetches the channels, and each edition in use that is not the one that they point at.
   *
   * @returns The names whose wording is another now.
   * @throws Refusal if the service cannot be reached; ProblemError if what it sends cannot be trusted: then nothing changes.
   */
  async refresh(): Promise<readonly string[]> {
    const { http, cache, approversDigest } = this.setting
    if (approversDigest !== undefined && !this.trust) {
      const text = textOf(await http.file('/approvers'))
      this.trust = this.trustIn(text)
      await cache.setData('approvers', text)
    }
    this.trust ??= this.trustIn(undefined)
    const fetched = await http.file('/channels', this.channels && this.seen.etag)
    const channels = fetched === 'unchanged' ? defined(this.channels) : this.verified(textOf(fetched))
    const wordings = new Map<string, LocalWording>()
    for (const name of this.wordings.keys()) {
      const wording = await this.wordingOf(name, channels, true)
      if (wording) wordings.set(name, wording)
    }
    if (fetched !== 'unchanged') await cache.setData('channels', textOf(fetched))
    const etag = fetched === 'unchanged' ? this.seen.etag : fetched.etag
    this.seen = { serial: Math.max(this.seen.serial, channels.serial), at: Date.now(), ...(etag !== undefined && { etag }) }
    await cache.setData('seen', this.seen)
    const changed = [...this.wordings].flatMap(([name, { digest }]) => (wordings.get(name)?.digest === digest ? [] : [name]))
    this.channels = channels
    this.wordings = wordings
    return changed
  }

  /**
   * The wording of a prompt: the one that is open, else the one that was kept or is fetched.
   *
   * @throws ProblemError if there is none that may be used.
   */
  async find(name: string): Promise<LocalWording> {
    const known = this.wordings.get(name)
    if (known) return known
    const { channel } = this.setting
    if (!this.channels) throw new ProblemError([problem('channel-unknown', { name, channel, known: [] })])
    const wording = await this.wordingOf(name, this.channels, false)
    if (!wording) {
      const known = Object.keys(new Map(Object.entries(this.channels.channels)).get(name) ?? {})
      throw new ProblemError([problem('channel-unknown', { name, channel, known })])
    }
    this.wordings.set(name, wording)
    return wording
  }

  /** An edition that the channels point at: as it is open, as it was kept, or fetched. Its approvals are checked each time. */
  private async wordingOf(name: string, channels: Channels, isRefresh: boolean): Promise<LocalWording | undefined> {
    const target = new Map(Object.entries(new Map(Object.entries(channels.channels)).get(name) ?? {})).get(this.setting.channel)
    if (!target) return undefined
    const sent = await this.sent(name, target, isRefresh)
    const edition = verifiedEdition(sent, name, target, channels, defined(this.trust))
    if ('code' in edition) {
      // What is revoked is dropped; anything else that may not be used leaves everything as it is.
      if (isRefresh && edition.code === 'edition-revoked') return undefined
      throw new ProblemError([edition])
    }
    const open = this.wordings.get(name)
    if (open?.digest === target.digest) return open
    return { name, edition: target.edition, digest: target.digest, library: await this.opened(name, edition) }
  }

  private async sent(name: string, target: ChannelTarget, isRefresh: boolean): Promise<SentEdition> {
    const { http, cache } = this.setting
    const key = `edition/${name}/${target.digest}`
    const stored = await cache.data<unknown>(key)
    const kept = isSent(stored) ? stored : undefined
    if (kept && !isRefresh) return kept
    const fetched = await http.file(`/editions/${pathOf(name)}/${target.edition}`, kept?.etag)
    if (fetched === 'unchanged') return defined(kept)
    const sent = sentIn(textOf(fetched), `${name}@${target.edition}`)
    await cache.setData(key, { ...sent, ...(fetched.etag !== undefined && { etag: fetched.etag }) })
    return sent
  }

  private async opened(name: string, edition: Edition): Promise<Library> {
    const { countTokens } = this.setting
    const library = await libraryOf(edition, {
      object: (digest) => this.object(`${pathOf(name)}/${edition.edition}`, digest),
      readTable: tableRows,
      loadValidator: async () => (await import('dunelight/json-schema')).validator,
      ...(countTokens && { countTokens }),
    })
    if (typeof library !== 'string') return library
    throw new ProblemError([problem('edition-altered', { file: `${name}@${edition.edition}`, why: library })])
  }

  /** A file that lies beside the editions. Opening the edition checks its digest. */
  private async object(edition: string, digest: string): Promise<Uint8Array | undefined> {
    const { http, cache } = this.setting
    const key = `object/${digest}`
    const kept = await cache.bytes(key)
    if (kept) return kept
    const fetched = await http.file(`/objects/${edition}/${digest.replace('sha256:', '')}`)
    if (fetched === 'unchanged') return undefined
    await cache.setBytes(key, fetched.bytes)
    return fetched.bytes
  }

  private trustIn(approversText: string | undefined): Trust {
    const { library, approversDigest } = this.setting
    if (approversDigest === undefined) return { library, approvers: undefined }
    const approvers = readApprovers(approversText ?? '', 'the approvers of the service')
    if (approvers.digest !== approversDigest)
      throw new ProblemError([
        problem('approvers-invalid', {
          file: 'the approvers of the service',
          why: `their digest is ${approvers.digest}, not ${approversDigest}`,
        }),
      ])
    return { library, approvers }
  }

  private verified(text: string): Channels {
    const channels = verifiedChannels(text, defined(this.trust), this.seen.serial)
    if (typeof channels !== 'string') return channels
    throw new ProblemError([problem('channels-invalid', { file: 'the channels of the service', why: channels })])
  }
}

function textOf(fetched: Awaited<ReturnType<ServiceHttp['file']>>): string {
  if (fetched === 'unchanged')
    throw new Refusal({ type: 'about:blank', title: 'The service is wrong', status: 304, detail: 'the service sent nothing' })
  return new TextDecoder().decode(fetched.bytes)
}

/** What the service sent as an edition: its content is verified afterwards. */
function sentIn(text: string, file: string): SentEdition {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch {
    // Not an edition, either.
  }
  if (isSent(data)) return data
  throw new ProblemError([problem('edition-altered', { file, why: 'the service did not send the JSON of an edition' })])
}

function isSent(data: unknown): data is KeptEdition {
  const { text, statements } = (typeof data === 'object' && data !== null ? data : {}) as Partial<KeptEdition>
  return typeof text === 'string' && Array.isArray(statements)
}
