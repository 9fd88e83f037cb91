import { ProblemError } from 'dunelight'
import { tagsOf, type Approvers, type Channels } from 'dunelight/editions'
import { chooseEdition, refuseUnapproved, trustedApprovers, trustedChannels, type ApproverOptions } from '@dunelight/node/host'
import { openEdition } from './open-wording.js'
import type { RefusedWording, Wording, WordingState } from './wording.js'

export interface ChannelReading {
  readonly root: string
  /** The id of the library. */
  readonly library: string | undefined
  readonly approvers: ApproverOptions
  readonly beside: string
}

/**
 * The editions that the channels point at, each checked anew, and opened if it is not open yet. Where the new edition of a prompt may not be
 * used, the one before stays, as long as that may still be used itself.
 *
 * @throws ProblemError if the approvers or the channel statement cannot be trusted: then nothing changes.
 */
export async function channelState(reading: ChannelReading, before: WordingState | undefined): Promise<WordingState> {
  const { root, library, approvers: trust, beside } = reading
  const approvers = await trustedApprovers(root, trust)
  const statement = await trustedChannels(root, library, approvers, trust.state)
  const open = new Map<string, Wording>()
  for (const wording of [...(before?.channels.values() ?? [])].flatMap((byName) => [...byName.values()]))
    if (wording.edition && wording.beside === beside) open.set(wording.edition.digest, wording)
  const channels = new Map<string, Map<string, Wording>>()
  const refused: RefusedWording[] = []
  const trusted = { library, channels: statement, approvers }
  for (const [name, targets] of Object.entries(statement?.channels ?? {}))
    for (const channel of Object.keys(targets)) {
      const wording = await wordingIn(reading, name, channel, trusted, open).catch((fault: unknown) => {
        if (!(fault instanceof ProblemError)) throw fault
        refused.push({ name, channel, why: fault })
        return earlier(reading, before?.channels.get(channel)?.get(name), trusted)
      })
      if (!wording) continue
      const byName = channels.get(channel) ?? new Map<string, Wording>()
      channels.set(channel, byName.set(name, wording))
    }
  return { channels, refused, statement }
}

interface Trusted {
  readonly library: string | undefined
  readonly channels: Channels | undefined
  readonly approvers: Approvers | undefined
}

async function wordingIn(
  { root, approvers, beside }: ChannelReading,
  name: string,
  channel: string,
  trusted: Trusted,
  open: Map<string, Wording>,
): Promise<Wording | undefined> {
  const { chosen, all } = await chooseEdition(root, name, { kind: 'channel', name: channel }, trusted.channels)
  const standing = refuseUnapproved(all, chosen, tagsOf(chosen.edition), trusted)
  // Assemblies have editions, too; a service has prompts.
  if (chosen.edition.prompt === undefined) return undefined
  const known = open.get(chosen.digest)
  if (known) return known
  const wording = await openEdition(root, chosen, approvers, beside, standing)
  open.set(chosen.digest, wording)
  return wording
}

/** The wording that was in use, if it may still be used. */
async function earlier({ root }: ChannelReading, wording: Wording | undefined, trusted: Trusted): Promise<Wording | undefined> {
  if (!wording?.edition) return undefined
  try {
    const stored = await storedEdition(root, wording.name, wording.edition.number)
    refuseUnapproved(stored.all, stored.chosen, wording.tags, trusted)
    return stored.chosen.digest === wording.edition.digest ? wording : undefined
  } catch (fault) {
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}

/** One edition by its number, checked like that of a channel. */
export async function editionNumbered(
  { root, library, approvers: trust, beside }: ChannelReading,
  name: string,
  number: number,
): Promise<Wording> {
  const approvers = await trustedApprovers(root, trust)
  const channels = await trustedChannels(root, library, approvers, trust.state)
  const { chosen, all } = await storedEdition(root, name, number)
  const standing = refuseUnapproved(all, chosen, tagsOf(chosen.edition), { library, channels, approvers })
  return openEdition(root, chosen, trust, beside, standing)
}

function storedEdition(root: string, name: string, number: number) {
  return chooseEdition(root, name, { kind: 'edition', number }, undefined)
}
