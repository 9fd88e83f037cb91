import { changeChannel, listEditions, type ApproverOptions, type ChannelChange } from '@dunelight/node'
import { requiredId } from '@dunelight/node/host'
import { defineCommand, LIBRARY, PROMPT } from '../define-command.js'
import { APPROVER_FLAGS, approversOf, openToRead, type ApproverFlags } from '../flags/open-library.js'
import { SIGNING_KEY, signingKeyOf, type KeyFlags } from '../flags/signing-key.js'
import { EXIT, WrongUse, type CommandContext } from '../ui/context.js'

export const channelCommand = defineCommand({
  name: 'channel',
  group: 'Production',
  about: 'Let a channel such as live point at an edition. Going back is the same command.',
  arguments: [LIBRARY, PROMPT, ['[channel]', 'live, next, or any name'], ['[edition]', 'its number']],
  options: [
    ['--remove', 'remove the channel'],
    ['--revoke <edition>', 'revoke an edition for everyone, whatever points at it'],
    ['--expires <date>', 'when the statement has to be signed again: 2027-01-31'],
    SIGNING_KEY,
    ...APPROVER_FLAGS,
  ],
  examples: ['channel demo/marram-house label/write live 6'],
  run: (context, [folder, prompt, channel, edition], flags: ChannelFlags) => move(context, folder, prompt, channel, edition, flags),
})

interface ChannelFlags extends KeyFlags, ApproverFlags {
  readonly remove?: boolean
  readonly revoke?: string
  readonly expires?: string
}

async function move(
  context: CommandContext,
  folder: string,
  name: string,
  channel: string | undefined,
  edition: string | undefined,
  flags: ChannelFlags,
): Promise<number> {
  const change = changeOf(channel, edition, flags)
  const library = requiredId((await openToRead(folder)).id)
  const approvers = approversOf(context, flags)
  const key = await signingKeyOf(context, flags)
  const expires = flags.expires === undefined ? undefined : dateOf(flags.expires)
  const channels = await changeChannel(folder, name, change, { library, approvers, ...(key && { key }), ...(expires && { expires }) })
  const done =
    change.does === 'point'
      ? `${name}@${change.channel} is edition ${change.edition}`
      : change.does === 'remove'
        ? `${name} has no channel ${change.channel} any more`
        : `edition ${change.edition} of ${name} is revoked`
  context.stderr.write(`${done} (channel statement ${channels.serial}${key ? '' : ', not signed'})\n`)
  await sayUnapproved(context, folder, name, change, approvers)
  return EXIT.done
}

function changeOf(channel: string | undefined, edition: string | undefined, { remove, revoke }: ChannelFlags): ChannelChange {
  if (revoke !== undefined) {
    if (channel !== undefined || remove) throw new WrongUse('--revoke takes no channel', 'write channel LIBRARY PROMPT --revoke 7')
    return { does: 'revoke', edition: numberOf(revoke) }
  }
  if (channel === undefined) throw new WrongUse('no channel is named', 'write channel LIBRARY PROMPT live 7')
  if (remove) {
    if (edition !== undefined) throw new WrongUse('--remove takes no edition')
    return { does: 'remove', channel }
  }
  if (edition === undefined) throw new WrongUse('no edition is named', `write channel LIBRARY PROMPT ${channel} 7, or --remove`)
  return { does: 'point', channel, edition: numberOf(edition) }
}

function numberOf(text: string): number {
  if (!/^[1-9]\d{0,8}$/.test(text)) throw new WrongUse(`"${text}" is not the number of an edition`, 'dunelight editions lists them')
  return Number(text)
}

function dateOf(text: string): Date {
  const time = /^\d{4}-\d\d-\d\d$/.test(text) ? Date.parse(`${text}T23:59:59Z`) : NaN
  if (Number.isNaN(time)) throw new WrongUse(`"${text}" is not a date`, 'write --expires 2027-01-31')
  if (time < Date.now()) throw new WrongUse(`${text} has passed`)
  return new Date(time)
}

/** A channel may point at an edition that is not approved yet, for tests; who trusts the approvers does not get it. */
async function sayUnapproved(
  { stderr }: CommandContext,
  folder: string,
  name: string,
  change: ChannelChange,
  approvers: ApproverOptions,
): Promise<void> {
  if (change.does !== 'point') return
  const { editions } = await listEditions(folder, { names: [name], approvers })
  const standing = editions.find(({ number }) => number === change.edition)?.standing
  if (standing && !standing.isApproved) stderr.write(`edition ${change.edition} is not approved yet: ${standing.missing.join('; ')}\n`)
}
