import type { Problem } from 'dunelight'
import { listEditions, wordingDiff, type EditionList, type ListedEdition } from '@dunelight/node'
import { defineCommand, JSON_FLAG, LIBRARY } from '../define-command.js'
import { APPROVER_FLAGS, approversOf, openToRead, type ApproverFlags } from '../flags/open-library.js'
import { colorsFor, EXIT, sayProblems, type Colors, type CommandContext } from '../ui/context.js'
import { columns } from '../ui/table.js'

export const editionsCommand = defineCommand({
  name: 'editions',
  group: 'Production',
  about: 'List the editions of a prompt: who published and approved them, which channels point at them, what they changed.',
  arguments: [LIBRARY, ['[prompt]', 'a prompt or an assembly; default: all']],
  options: [['--verify', 'check every file, digest, fingerprint and signature'], ...APPROVER_FLAGS, JSON_FLAG],
  examples: ['editions demo/marram-house'],
  run: (context, [folder, name], flags: EditionsFlags) => editions(context, folder, name, flags),
})

interface EditionsFlags extends ApproverFlags {
  readonly verify?: boolean
  readonly json?: boolean
}

async function editions(context: CommandContext, folder: string, name: string | undefined, flags: EditionsFlags): Promise<number> {
  const { stdout, stderr, env } = context
  const { verify = false } = flags
  const listed = await listEditions(folder, {
    ...(name !== undefined && { names: [name] }),
    verify,
    approvers: approversOf(context, flags),
  })
  // A misspelt name has no editions either.
  if (name !== undefined && listed.editions.length === 0) (await openToRead(folder)).inputOf(name)
  const shares = name === undefined ? new Map<number, string>() : await sharesOf(folder, name, listed)
  if (flags.json) stdout.write(`${JSON.stringify(asJson(listed, shares), null, 2)}\n`)
  else {
    const c = colorsFor(stdout, env)
    stdout.write(
      columns(
        listed.editions.toReversed().map((edition) => rowOf(edition, shares, c)),
        { right: [] },
      ),
    )
    if (listed.editions.length === 0)
      stderr.write(`there are no editions${name === undefined ? '' : ` of ${name}`} yet: dunelight publish makes one\n`)
  }
  sayProblems(context, listed.problems)
  sayTrust(context, listed)
  if (verify && listed.problems.length === 0) stderr.write(`${listed.editions.length} verified: files, digests, fingerprints, signatures\n`)
  return listed.problems.some(isError) ? EXIT.problems : EXIT.done
}

function isError({ severity }: Problem): boolean {
  return severity === 'error'
}

/** Whose word the list takes. */
function sayTrust({ stderr, env }: CommandContext, { approvers, isPinned, channels }: EditionList): void {
  const c = colorsFor(stderr, env)
  if (approvers && !isPinned)
    stderr.write(c.dim(`judged by the library's own approvers.yaml; to pin it, add\n  --approvers-digest ${approvers.digest}\n`))
  if (!approvers && channels) stderr.write(c.dim('the channels are not signed: the library has no approvers.yaml\n'))
}

/** How many records each edition renders in another way than the one before, by its number. */
async function sharesOf(folder: string, name: string, { editions: all }: EditionList): Promise<ReadonlyMap<number, string>> {
  const shares = new Map<number, string>()
  for (const [i, { number }] of all.entries()) {
    const before = all[i - 1]
    if (!before || before.number === number) continue
    const { rendered } = await wordingDiff(folder, `${name}@${before.number}`, `${name}@${number}`, { most: 0 }).catch(() => ({
      rendered: undefined,
    }))
    if (rendered === undefined || typeof rendered === 'string') continue
    const { records, changed, lost, gained } = rendered
    if (records > 0) shares.set(number, `${Math.round((100 * (changed + lost + gained)) / records)}%`)
  }
  return shares
}

function rowOf(edition: ListedEdition, shares: ReadonlyMap<number, string>, c: Colors): string[] {
  const { name, number, channels, edition: content } = edition
  const share = shares.get(number)
  return [
    c.bold(`${name}@${number}`),
    c.dim(content.created.slice(0, 16).replace('T', ' ')),
    content.author ?? '',
    c.green(channels.join(', ')),
    standingWords(edition, c),
    share === undefined ? '' : `${share} of the texts differ`,
    content.note ?? (content['same-as'] === undefined ? '' : `the wording of ${content['same-as']}`),
  ]
}

/** What the approvers say of an edition. */
export function standingWords({ standing, isRevoked }: Pick<ListedEdition, 'standing' | 'isRevoked'>, c: Colors): string {
  if (isRevoked) return c.red('revoked')
  if (!standing) return ''
  const by = standing.statements.flatMap(({ action, fault, by: who }) => (action === 'approve' && fault === undefined ? [who] : []))
  if (standing.isApproved) return c.green(`approved by ${by.join(', ')}`)
  if (standing.revokedBy.length > 0) return c.red(`revoked by ${standing.revokedBy.join(', ')}`)
  return c.yellow(standing.missing.join('; '))
}

function asJson({ editions: all, problems, channels, approvers, isPinned }: EditionList, shares: ReadonlyMap<number, string>): object {
  return {
    editions: all.map(({ name, number, digest, path, channels: pointing, isRevoked, standing, edition }) => ({
      name,
      edition: number,
      digest,
      path,
      fingerprint: edition.fingerprint,
      created: edition.created,
      author: edition.author,
      note: edition.note,
      commit: edition.commit,
      uncommitted: edition.uncommitted,
      channels: pointing,
      revoked: isRevoked,
      ...(standing && {
        approved: standing.isApproved,
        publisher: standing.publisher,
        missing: standing.missing,
        statements: standing.statements,
      }),
      ...(shares.has(number) && { differs: shares.get(number) }),
    })),
    channels: channels && { serial: channels.serial, time: channels.time, expires: channels.expires, signed: channels.key !== undefined },
    ...(approvers && { approvers: { digest: approvers.digest, pinned: isPinned } }),
    problems: problems.map(({ code, message }) => ({ code, message })),
  }
}
