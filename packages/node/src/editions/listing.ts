import { realpath } from 'node:fs/promises'
import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { faultOfChannels, type Approvers, type Channels, type Standing } from 'dunelight/editions'
import { expiryOf, standingIn, trustedChannels } from '../snapshots/choose-edition.js'
import { CHANNELS_FILE, channelsOf, editionsOf, namesWithEditions, type StoredEdition } from '../snapshots/edition-folder.js'
import { verifiedContent } from '../snapshots/edition-content.js'
import { tagsOf } from 'dunelight/editions'
import { statedApprovers, trustedApprovers, type ApproverOptions } from '../snapshots/trust.js'

/** An edition as it is listed. */
export interface ListedEdition extends StoredEdition {
  /** The channels that point at it. */
  readonly channels: readonly string[]
  /** Whether a publisher's statement revokes it for everyone. */
  readonly isRevoked: boolean
  /** What the approvers say of it; undefined where there are none. */
  readonly standing: Standing | undefined
}

/** The editions of a library. */
export interface EditionList {
  /** By name, then by number. */
  readonly editions: readonly ListedEdition[]
  /** Files that are not what was published, statements that do not count. */
  readonly problems: readonly Problem[]
  readonly channels: Channels | undefined
  readonly approvers: Approvers | undefined
  /** Whether the approvers are trusted: by their digest, or since their file lies outside the library. */
  readonly isPinned: boolean
}

/** Which editions are listed, by whose approvals, and how thoroughly they are checked. */
export interface ListOptions {
  /** Prompts and assemblies; all where none are named. */
  readonly names?: readonly string[]
  readonly approvers?: ApproverOptions
  /** Whether each edition is opened, and each of its files checked. */
  readonly verify?: boolean
}

/**
 * Lists the editions of a library, with their approvals and channels.
 *
 * @param folder - The library's folder.
 * @param options - Which prompts, whose approvals, how thoroughly.
 * @returns The editions, and everything that is wrong with them.
 * @throws ProblemError if the approvers cannot be read or trusted.
 * @example
 * (await listEditions('demo/marram-house')).problems // => []
 */
export async function listEditions(
  folder: string,
  { names, approvers: trust = {}, verify = false }: ListOptions = {},
): Promise<EditionList> {
  const root = await realpath(folder)
  const pinned = await trustedApprovers(root, trust)
  const approvers = pinned ?? (await statedApprovers(root))
  const problems: Problem[] = []
  const channels = await channelsIn(root, { approvers, isPinned: pinned !== undefined }, problems)
  const editions: ListedEdition[] = []
  for (const name of names ?? (await namesWithEditions(root))) {
    const all = await editionsOf(root, name)
    problems.push(...all.problems)
    const targets = Object.entries(new Map(Object.entries(channels?.channels ?? {})).get(name) ?? {})
    for (const stored of all.editions) {
      const standing = approvers && standingIn(all, stored, tagsOf(stored.edition), approvers)
      for (const { fault, action, key } of standing?.statements ?? [])
        if (fault !== undefined)
          problems.push(problem('statement-invalid', { file: `${stored.path} (${action} by ${key.slice(7, 19)})`, why: fault }))
      const pointing = targets.filter(([, target]) => target.digest === stored.digest).map(([channel]) => channel)
      editions.push({ ...stored, channels: pointing, isRevoked: channels?.revoked.includes(stored.digest) ?? false, standing })
      const content = verify ? await verifiedContent(root, stored.edition) : undefined
      if (typeof content === 'string') problems.push(problem('edition-altered', { file: stored.path, why: content }))
    }
    for (const [channel, { edition, digest }] of targets)
      if (!all.editions.some((stored) => stored.digest === digest))
        problems.push(
          problem('channels-invalid', {
            file: CHANNELS_FILE,
            why: `"${name}@${channel}" points at edition ${edition}, which is not there`,
          }),
        )
  }
  return { editions, problems, channels, approvers, isPinned: pinned !== undefined }
}

/** The channels, as far as they can be read; what is wrong with them is a problem among others. */
async function channelsIn(
  root: string,
  { approvers, isPinned }: Pick<EditionList, 'approvers' | 'isPinned'>,
  problems: Problem[],
): Promise<Channels | undefined> {
  try {
    const signed = await channelsOf(root)
    const channels = await trustedChannels(root, signed?.channels.library, isPinned ? approvers : undefined)
    const fault = signed && approvers && faultOfChannels(signed, signed.channels.library, approvers)
    if (fault !== undefined) problems.push(problem('channels-invalid', { file: CHANNELS_FILE, why: fault }))
    const expires = expiryOf(channels)
    if (expires !== undefined) problems.push(problem('channels-expired', { expires }))
    return channels
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    problems.push(...fault.problems)
    return undefined
  }
}
