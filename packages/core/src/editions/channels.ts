import type { Approvers } from './approvers.js'
import { faultIn, isRecord, parsedJson, POSITIVE, TEXT, TIME, type Check } from './shape.js'
import { isDigest, isSignedBy } from './signed.js'

/** An edition that a channel points at. */
export interface ChannelTarget {
  readonly edition: number
  /** The digest of the bytes of the edition's file. */
  readonly digest: string
}

/** Which editions are in use: one statement for the whole library, so that its parts cannot be mixed. */
export interface Channels {
  readonly library: string
  /** Grows by one with every change. */
  readonly serial: number
  readonly time: string
  readonly expires?: string
  /** By prompt and by channel. */
  readonly channels: Readonly<Record<string, Readonly<Record<string, ChannelTarget>>>>
  /** Digests of editions that must not be used any more. */
  readonly revoked: readonly string[]
  /** The id of the key that signs; absent in a statement without a signature. */
  readonly key?: string
}

export interface SignedChannels {
  readonly channels: Channels
  readonly signature: string | undefined
}

const DIGEST: Check = ['a SHA-256 digest', isDigest]
const TARGETS: Check = [
  'editions by prompt and channel',
  (value) =>
    isRecord(value) &&
    Object.values(value).every(
      (targets) =>
        isRecord(targets) && Object.values(targets).every((target) => faultIn(target, { edition: POSITIVE, digest: DIGEST }) === undefined),
    ),
]
const REQUIRED = {
  library: TEXT,
  serial: POSITIVE,
  time: TIME,
  channels: TARGETS,
  revoked: ['digests', (value: unknown) => Array.isArray(value) && value.every(isDigest)],
} satisfies Record<string, Check>
const OPTIONAL = { expires: TIME, key: DIGEST, signature: TEXT } satisfies Record<string, Check>

export function channelsText({ channels, signature }: SignedChannels): string {
  return `${JSON.stringify({ ...channels, ...(signature !== undefined && { signature }) }, null, 2)}\n`
}

/** Reads a channel statement; a text says what is wrong. The signature is not checked here. */
export function readChannels(text: string): SignedChannels | string {
  const parsed = parsedJson(text)
  if (typeof parsed === 'string') return parsed
  const fault = faultIn(parsed.data, REQUIRED, OPTIONAL)
  if (fault !== undefined) return fault
  const { signature, ...channels } = parsed.data as Channels & { readonly signature?: string }
  if ((signature === undefined) !== (channels.key === undefined)) return '"key" and "signature" belong together'
  return { channels, signature }
}

/** Why a statement cannot be trusted by these approvers; undefined if it can. */
export function faultOfChannels({ channels, signature }: SignedChannels, library: string, approvers: Approvers): string | undefined {
  if (channels.library !== library) return 'it is about another library'
  if (signature === undefined) return 'no publisher has signed it'
  const [by, key] = [...approvers.people].find(([, person]) => person.id === channels.key) ?? []
  if (by === undefined || key === undefined) return 'its key is not listed'
  if (!isSignedBy(key, signature, 'dunelight-channels-1', { ...channels })) return 'its signature is wrong'
  return approvers.publishers.includes(by) ? undefined : `${by} is not a publisher`
}
