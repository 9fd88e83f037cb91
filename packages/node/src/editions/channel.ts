import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { channelsText, CHANNEL_NAME, type Channels } from 'dunelight/editions'
import { chooseEdition } from '../snapshots/choose-edition.js'
import { CHANNELS_FILE, channelsOf } from '../snapshots/edition-folder.js'
import { statedApprovers, type ApproverOptions } from '../snapshots/trust.js'
import { editing, store } from './editing.js'
import { refuseUselessKey } from './sign.js'
import type { SigningKey } from './signing.js'

/** How a channel is moved. */
export interface ChannelOptions {
  /** The id of the library. */
  readonly library: string
  /** A publisher's key. */
  readonly key?: SigningKey
  /** Who may publish. Default: the library's approvers.yaml. */
  readonly approvers?: ApproverOptions
  /** When the statement expires: it has to be signed again until then. */
  readonly expires?: Date
}

/** A change of the channels. */
export type ChannelChange =
  | { readonly does: 'point'; readonly channel: string; readonly edition: number }
  | { readonly does: 'remove'; readonly channel: string }
  /** An edition that must not be used any more, whatever points at it. */
  | { readonly does: 'revoke'; readonly edition: number }

/**
 * Moves a channel of a prompt. The new statement of all channels has the next serial number. To go back, move it again.
 *
 * @param folder - The library's folder.
 * @param name - The prompt.
 * @param change - What is changed.
 * @param options - The library's id, and the publisher's key.
 * @returns The new statement.
 * @throws ProblemError if there is no such edition, if the key is no publisher's, or if another process is publishing.
 * @example
 * const change = { does: 'point', channel: 'live', edition: 99 }
 * const thrown = await changeChannel(scratch, 'label/write', change, { library: '5d2c' }).catch((error) => error)
 * thrown.problems[0].code // => 'edition-unknown'
 */
export function changeChannel(folder: string, name: string, change: ChannelChange, options: ChannelOptions): Promise<Channels> {
  if (change.does === 'point') refuseChannelName(change.channel)
  return editing(folder, async (root) => {
    if (options.key) refuseUselessKey(await statedApprovers(root, options.approvers), options.key)
    return changeHeld(root, [{ name, change }], options)
  })
}

/** A channel's name is no number, and no Git revision. */
export function refuseChannelName(name: string): void {
  if (!CHANNEL_NAME.test(name)) throw new ProblemError([problem('reference-invalid', { text: `…@${name}` })])
}

/** What is changed of a prompt's channels. */
interface NamedChange {
  readonly name: string
  readonly change: ChannelChange
}

/** The same for a caller that is editing already, and may move several at once: they change in one statement. */
export async function changeHeld(root: string, changes: readonly NamedChange[], options: ChannelOptions): Promise<Channels> {
  const { library, key, expires } = options
  const before = (await channelsOf(root))?.channels
  if (before && before.library !== library)
    throw new ProblemError([problem('channels-invalid', { file: CHANNELS_FILE, why: 'it is about another library' })])
  let { channels, revoked }: Changed = before ?? { channels: {}, revoked: [] }
  for (const change of changes) ({ channels, revoked } = await changed(root, change, { channels, revoked }, before))
  const statement: Channels = {
    library,
    serial: (before?.serial ?? 0) + 1,
    time: new Date().toISOString(),
    ...(expires && { expires: expires.toISOString() }),
    channels,
    revoked,
    ...(key && { key: key.id }),
  }
  await store(root, CHANNELS_FILE, channelsText({ channels: statement, signature: key?.sign('dunelight-channels-1', { ...statement }) }))
  return statement
}

type Changed = Pick<Channels, 'channels' | 'revoked'>

async function changed(
  root: string,
  { name, change }: NamedChange,
  { channels, revoked: revokedBefore }: Changed,
  before: Channels | undefined,
): Promise<Changed> {
  const all = new Map(Object.entries(channels))
  const targets = new Map(Object.entries(all.get(name) ?? {}))
  let revoked = revokedBefore
  if (change.does === 'remove') {
    if (!targets.delete(change.channel))
      throw new ProblemError([problem('channel-unknown', { name, channel: change.channel, known: [...targets.keys()] })])
  } else {
    const { chosen } = await chooseEdition(root, name, { kind: 'edition', number: change.edition }, before)
    const { number: edition, digest } = chosen
    if (change.does === 'revoke') revoked = [...new Set([...revoked, digest])]
    else if (revoked.includes(digest)) throw new ProblemError([problem('edition-revoked', { name, number: edition, by: CHANNELS_FILE })])
    else targets.set(change.channel, { edition, digest })
  }
  if (targets.size > 0) all.set(name, Object.fromEntries(targets))
  else all.delete(name)
  const sorted = [...all].sort(([a], [b]) => (a < b ? -1 : 1))
  return { channels: Object.fromEntries(sorted), revoked }
}
