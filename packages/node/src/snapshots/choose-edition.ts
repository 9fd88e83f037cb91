import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { faultOfChannels, refusalOf, standingOf, type Approvers, type Channels, type Standing } from 'dunelight/editions'
import { CHANNELS_FILE, channelsOf, editionsOf, statementsAbout, type EditionsOf, type StoredEdition } from './edition-folder.js'
import { requiredId } from './library-id.js'
import { rememberChannels } from './state.js'

/**
 * The statement of the channels, as far as it can be trusted: with trusted approvers a publisher has to have signed it, and none older than
 * one that was seen before is taken.
 *
 * @throws ProblemError if it is invalid, or not to be trusted.
 */
export async function trustedChannels(
  root: string,
  library: string | undefined,
  approvers: Approvers | undefined,
  state?: string,
): Promise<Channels | undefined> {
  const signed = await channelsOf(root)
  if (!signed) return undefined
  const refuse = (why: string) => new ProblemError([problem('channels-invalid', { file: CHANNELS_FILE, why })])
  if (library !== undefined && signed.channels.library !== library) throw refuse('it is about another library')
  if (approvers) {
    const fault = faultOfChannels(signed, ownId(library, approvers), approvers)
    if (fault !== undefined) throw refuse(fault)
    await rememberChannels(signed.channels, signed.signature, state)
  }
  return signed.channels
}

/** The day on which the channels expired; undefined while they have not. */
export function expiryOf(channels: Channels | undefined): string | undefined {
  const expires = channels?.expires
  return expires !== undefined && Date.parse(expires) < Date.now() ? expires.slice(0, 10) : undefined
}

/**
 * The id that editions must have: without one, those of another library with the same approvers would pass.
 *
 * @throws ProblemError if dunelight.yaml has none, or another one than the approvers decide about.
 */
function ownId(library: string | undefined, approvers: Approvers): string {
  const id = requiredId(library)
  if (approvers.library !== undefined && approvers.library !== id)
    throw new ProblemError([
      problem('approvers-invalid', { file: 'the file of the approvers', why: `it is about the library ${approvers.library}, not ${id}` }),
    ])
  return id
}

/**
 * The edition with a number, or the one that a channel points at.
 *
 * @throws ProblemError if there is none, if its file is not what was published, or if two have the number.
 */
export async function chooseEdition(
  root: string,
  name: string,
  snapshot: { readonly kind: 'edition'; readonly number: number } | { readonly kind: 'channel'; readonly name: string },
  channels: Channels | undefined,
): Promise<{ readonly chosen: StoredEdition; readonly all: EditionsOf }> {
  const all = await editionsOf(root, name)
  const targets = new Map(Object.entries(new Map(Object.entries(channels?.channels ?? {})).get(name) ?? {}))
  const target = snapshot.kind === 'channel' ? targets.get(snapshot.name) : undefined
  if (snapshot.kind === 'channel' && !target) {
    const known = [...targets.keys()]
    throw new ProblemError([problem('channel-unknown', { name, channel: snapshot.name, known })])
  }
  const number = snapshot.kind === 'edition' ? snapshot.number : (target?.edition ?? 0)
  const fits = all.editions.filter((stored) => stored.number === number && (!target || stored.digest === target.digest))
  const [chosen, other] = fits
  if (chosen && !other) return { chosen, all }
  const named = all.problems.filter((p) => p.code === 'edition-altered' && p.data.file.includes(`/${number}-`))
  const twice = all.problems.filter((p) => p.code === 'edition-twice' && p.data.number === number)
  const wrong = other ? twice : named
  if (wrong.length > 0) throw new ProblemError(wrong)
  const newest = all.editions.at(-1)?.number ?? 0
  const near = all.editions.find((stored) => stored.number === number)
  throw new ProblemError([
    near
      ? problem('edition-altered', { file: near.path, why: 'it is another one than the channel points at' })
      : problem('edition-unknown', { name, number, newest }),
  ])
}

/** The standing of an edition by these approvers. */
export function standingIn(all: EditionsOf, stored: StoredEdition, tags: readonly string[], approvers: Approvers): Standing {
  const subject = { library: stored.edition.library, name: stored.name, number: stored.number, digest: stored.digest, tags }
  return standingOf(subject, statementsAbout(all, stored), approvers)
}

/**
 * Refuses an edition that may not be used.
 *
 * @returns What the approvers say of it; undefined without approvers.
 * @throws ProblemError if it belongs to another library, was revoked, or lacks approvals.
 */
export function refuseUnapproved(
  all: EditionsOf,
  stored: StoredEdition,
  tags: readonly string[],
  {
    library,
    channels,
    approvers,
  }: { readonly library: string | undefined; readonly channels: Channels | undefined; readonly approvers: Approvers | undefined },
): Standing | undefined {
  const { name, number, digest, path, edition } = stored
  const own = approvers ? ownId(library, approvers) : library
  if (own !== undefined && edition.library !== own)
    throw new ProblemError([problem('edition-altered', { file: path, why: 'it belongs to another library' })])
  if (channels?.revoked.includes(digest)) throw new ProblemError([problem('edition-revoked', { name, number, by: CHANNELS_FILE })])
  const standing = approvers && standingIn(all, stored, tags, approvers)
  const refusal = standing && refusalOf(stored, standing)
  if (refusal) throw new ProblemError([refusal])
  return standing
}
