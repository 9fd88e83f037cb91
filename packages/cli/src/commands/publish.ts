import { listEditions, publishEditions, renumberEditions, type Published } from '@dunelight/node'
import { defineCommand, JSON_FLAG, LIBRARY } from '../define-command.js'
import { APPROVER_FLAGS, approversOf, type ApproverFlags } from '../flags/open-library.js'
import { SIGNING_KEY, signingKeyOf, type KeyFlags } from '../flags/signing-key.js'
import { colorsFor, EXIT, sayProblems, WrongUse, type CommandContext } from '../ui/context.js'

export const publishCommand = defineCommand({
  name: 'publish',
  group: 'Production',
  about: 'Make an edition of a prompt: an immutable, numbered snapshot with everything it uses.',
  arguments: [LIBRARY, ['[prompts...]', 'prompts and assemblies']],
  options: [
    ['--note <text>', 'what is new'],
    ['--channel <name>', 'let this channel point at the editions: live'],
    ['--uncommitted', 'publish files that differ from the last commit; the edition names them'],
    SIGNING_KEY,
    ...APPROVER_FLAGS,
    ['--renumber', 'give the next number to one of two editions that have the same'],
    JSON_FLAG,
  ],
  examples: ['publish demo/marram-house label/write --note "shorter opening" --channel live'],
  run: (context, [folder, names = []], flags: PublishFlags) => publish(context, folder, names, flags),
})

interface PublishFlags extends KeyFlags, ApproverFlags {
  readonly note?: string
  readonly channel?: string
  readonly uncommitted?: boolean
  readonly renumber?: boolean
  readonly json?: boolean
}

async function publish(context: CommandContext, folder: string, names: readonly string[], flags: PublishFlags): Promise<number> {
  if (flags.renumber) return renumber(context, folder, names)
  if (names.length === 0) throw new WrongUse('no prompt is named', `dunelight list ${folder} shows what can be published`)
  const { stdout, stderr, env } = context
  const { note, channel, uncommitted = false, json } = flags
  const key = await signingKeyOf(context, flags)
  const { published, channels } = await publishEditions(folder, names, {
    uncommitted,
    approvers: approversOf(context, flags),
    ...(note !== undefined && { note }),
    ...(channel !== undefined && { channel }),
    ...(key && { key }),
  })
  if (json) stdout.write(`${JSON.stringify({ published: published.map(recordOf), channels }, null, 2)}\n`)
  else for (const one of published) stdout.write(`${one.name}@${one.number}  ${colorsFor(stdout, env).dim(one.path)}\n`)
  for (const one of published) stderr.write(`${wordsOf(one)}\n`)
  if (channels && channel !== undefined)
    stderr.write(`${channel} points at ${published.length === 1 ? 'it' : 'them'} (channel statement ${channels.serial})\n`)
  await sayUnsigned(context, folder, published)
  return EXIT.done
}

/** Where approvers decide, an edition without a publisher's signature cannot be approved. */
async function sayUnsigned(context: CommandContext, folder: string, published: readonly Published[]): Promise<void> {
  const { approvers } = await listEditions(folder, { names: published.map(({ name }) => name) })
  const unsigned = published.filter(({ isSigned }) => !isSigned)
  if (approvers && unsigned.length > 0)
    context.stderr.write(
      `${unsigned.map(({ name, number }) => `${name}@${number}`).join(', ')}: not signed; publish again with --signing-key\n`,
    )
}

function recordOf({ name, number, digest, path, isNew, sameAs, isSigned }: Published): object {
  return { name, edition: number, digest, path, new: isNew, ...(sameAs !== undefined && { 'same-as': sameAs }), signed: isSigned }
}

function wordsOf({ name, number, isNew, sameAs }: Published): string {
  if (!isNew) return `${name} is unchanged: edition ${number} is its newest`
  return `published edition ${number} of ${name}${sameAs === undefined ? '' : `, the same wording as edition ${sameAs}`}`
}

async function renumber(context: CommandContext, folder: string, names: readonly string[]): Promise<number> {
  const { problems } = await listEditions(folder, names.length > 0 ? { names } : {})
  const twice = problems.filter((p) => p.code === 'edition-twice')
  const renumbered = await renumberEditions(folder, [...new Set(twice.map((p) => p.data.name))])
  for (const { name, from, to } of renumbered) context.stderr.write(`edition ${from} of ${name} is now edition ${to}\n`)
  if (renumbered.length === 0) context.stderr.write('no two editions have the same number\n')
  const altered = problems.filter((p) => p.code === 'edition-altered')
  sayProblems(context, altered)
  return altered.length > 0 ? EXIT.problems : EXIT.done
}
