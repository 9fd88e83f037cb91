import { readReference } from 'dunelight/editions'
import { approveEdition, editionToApprove, listEditions, wordingDiff } from '@dunelight/node'
import { defineCommand, LIBRARY } from '../define-command.js'
import { APPROVER_FLAGS, approversOf, type ApproverFlags } from '../flags/open-library.js'
import { askWord, isTerminal, SIGNING_KEY, signingKeyOf, type KeyFlags } from '../flags/signing-key.js'
import { colorsFor, EXIT, WrongUse, type CommandContext } from '../ui/context.js'
import { printDifference } from './diff.js'

export const approveCommand = defineCommand({
  name: 'approve',
  group: 'Production',
  about: 'Approve an edition: show what changed since the last approved one, then sign it.',
  arguments: [LIBRARY, ['<edition>', 'the edition: label/write@7']],
  options: [SIGNING_KEY, ['--revoke', 'take your approval back, for good'], ['--yes', 'sign without the question'], ...APPROVER_FLAGS],
  examples: ['approve demo/marram-house label/write@7 --signing-key ~/keys/registrar.pem'],
  run: (context, [folder, edition], flags: ApproveFlags) => approve(context, folder, edition, flags),
})

interface ApproveFlags extends KeyFlags, ApproverFlags {
  readonly revoke?: boolean
  readonly yes?: boolean
}

async function approve(context: CommandContext, folder: string, stated: string, flags: ApproveFlags): Promise<number> {
  const { stdout, stderr, env } = context
  const { revoke = false, yes = false } = flags
  const { name, snapshot } = readReference(stated)
  // What a channel points at can change between looking and signing.
  if (snapshot?.kind !== 'edition') throw new WrongUse(`"${stated}" is not an edition`, `name its number: ${name}@7`)
  if (flags.signingKey === undefined) throw new WrongUse('no key is named', 'add --signing-key FILE; dunelight key --to FILE makes one')
  const approvers = approversOf(context, flags)
  const { edition, before } = await editionToApprove(folder, name, snapshot.number, approvers)
  const c = colorsFor(stdout, env)
  if (before && !revoke) {
    const difference = await wordingDiff(folder, `${name}@${before.number}`, stated)
    stdout.write(printDifference(difference, c, c.red('') !== ''))
  } else if (!revoke) {
    stdout.write(`${c.bold(stated)}: no edition of it was approved before\n`)
    for (const [path, { text = '(not shown)' }] of Object.entries(edition.edition.files))
      stdout.write(`\n${c.bold(path)}\n${text.trimEnd()}\n`)
  }
  if (!yes) await confirm(context, `${revoke ? 'take back the approval of' : 'approve'} ${stated}? yes/no`)
  const key = await signingKeyOf(context, flags)
  if (!key) return EXIT.use
  await approveEdition(folder, name, snapshot.number, key, { action: revoke ? 'revoke' : 'approve', approvers })
  const { editions } = await listEditions(folder, { names: [name], approvers })
  const standing = editions.find(({ digest }) => digest === edition.digest)?.standing
  const state = standing?.isApproved ? 'it is approved now' : `still needed: ${standing?.missing.join('; ') ?? ''}`
  stderr.write(`${revoke ? 'revoked' : 'approved'} ${stated}; ${state}\n`)
  return EXIT.done
}

async function confirm(context: CommandContext, question: string): Promise<void> {
  if (!isTerminal(context.stdin)) throw new WrongUse('there is no terminal to answer at', 'add --yes to sign without the question')
  if ((await askWord(context, question)) !== 'yes') throw new WrongUse('nothing was signed')
}
