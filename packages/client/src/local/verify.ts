import type { Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import {
  digestOf,
  editionName,
  faultOfChannels,
  readChannels,
  readEdition,
  readStatement,
  refusalOf,
  standingOf,
  tagsOf,
  type Approvers,
  type Channels,
  type ChannelTarget,
  type Edition,
} from 'dunelight/editions'

/** What a client trusts: the library, and whose approvals count. */
export interface Trust {
  readonly library: string
  readonly approvers: Approvers | undefined
}

/** An edition's file as the service sends it, with the statements about it. */
export interface SentEdition {
  readonly text: string
  readonly statements: readonly unknown[]
}

/** A channel statement that may be used; a text says why it may not. */
export function verifiedChannels(text: string, { library, approvers }: Trust, newestSeen: number): Channels | string {
  const signed = readChannels(text)
  if (typeof signed === 'string') return signed
  const { channels } = signed
  if (channels.library !== library) return 'it is about another library'
  const fault = approvers && faultOfChannels(signed, library, approvers)
  if (fault !== undefined) return fault
  return channels.serial < newestSeen ? `its serial is ${channels.serial}, and ${newestSeen} was seen before` : channels
}

/** An edition that may be used; problems say why it may not. */
export function verifiedEdition(
  sent: SentEdition,
  name: string,
  target: ChannelTarget,
  channels: Channels,
  trust: Trust,
): Edition | Problem {
  const { edition: number, digest } = target
  const file = `${name}@${number}`
  const altered = (why: string) => problem('edition-altered', { file, why })
  if (digestOf(new TextEncoder().encode(sent.text)) !== digest) return altered('its content does not fit the digest of the channel')
  if (channels.revoked.includes(digest)) return problem('edition-revoked', { name, number, by: 'the channel statement' })
  const edition = readEdition(sent.text)
  if (typeof edition === 'string') return altered(edition)
  if (edition.library !== trust.library) return altered('it belongs to another library')
  if (editionName(edition) !== name || edition.edition !== number) return altered(`it is ${editionName(edition)}@${edition.edition}`)
  if (!trust.approvers) return edition
  const statements = sent.statements.flatMap((item) => {
    const read = readStatement(JSON.stringify(item))
    return typeof read === 'string' ? [] : [read]
  })
  const subject = { library: edition.library, name, number, digest, tags: tagsOf(edition) }
  return refusalOf(subject, standingOf(subject, statements, trust.approvers)) ?? edition
}
