import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { Library, ProblemError } from 'dunelight'
import { canonical, problem, readLibraryFiles } from 'dunelight/host'
import { digestOf, editionText, makeEdition, type Approvers, type Channels, type Edition } from 'dunelight/editions'
import { readLibraryFolder, type LibraryFolder } from '../library/open-library.js'
import { noteSecrets } from '../models/http-model.js'
import { secrets } from '../output/secrets.js'
import { channelsOf, editionPath, editionsOf, objectPath, type EditionsOf, type StoredEdition } from '../snapshots/edition-folder.js'
import { Git } from '../snapshots/git.js'
import { requiredId } from '../snapshots/library-id.js'
import { statedApprovers, type ApproverOptions } from '../snapshots/trust.js'
import { changeHeld, refuseChannelName } from './channel.js'
import { editing, store } from './editing.js'
import { refuseUselessKey, sign } from './sign.js'
import type { SigningKey } from './signing.js'
import { contentsOf, memberNamed } from './wording-files.js'

/** How editions are published. */
export interface PublishOptions {
  readonly note?: string
  /** The channel that points at the editions afterwards. */
  readonly channel?: string
  /** Whether files may differ from the last commit. */
  readonly uncommitted?: boolean
  /** The publisher's key. */
  readonly key?: SigningKey
  /** Who may publish. Default: the library's approvers.yaml. */
  readonly approvers?: ApproverOptions
  /** Who publishes. Default: the name that Git has. */
  readonly author?: string
}

/** What publishing a prompt came to. */
export interface Published {
  readonly name: string
  readonly number: number
  readonly digest: string
  readonly path: string
  /** Whether the wording was published before as the newest edition: nothing new is made then. */
  readonly isNew: boolean
  readonly sameAs: number | undefined
  /** Whether a publisher has signed it. */
  readonly isSigned: boolean
}

/**
 * Publishes prompts and assemblies: makes an immutable edition of each, with everything it uses.
 *
 * @param folder - The library's folder.
 * @param names - The prompts and assemblies.
 * @param options - A note, a channel, the key of the publisher.
 * @returns One entry for each name, and the channels if they were moved.
 * @throws ProblemError if the library has errors, has no id, or differs from the last commit. Nothing is written then.
 * @example
 * const thrown = await publishEditions('demo/marram-house', ['no/such']).catch((error) => error)
 * thrown.problems.length > 0 // => true
 */
export async function publishEditions(
  folder: string,
  names: readonly string[],
  options: PublishOptions = {},
): Promise<{ readonly published: readonly Published[]; readonly channels: Channels | undefined }> {
  if (options.channel !== undefined) refuseChannelName(options.channel)
  const read = await readLibraryFolder(folder)
  const { artefacts, problems, attachments, tables } = read
  const library = new Library(artefacts, problems, { attachments, tables, countTokens: () => 0 })
  for (const name of names) library.inputOf(name)
  const errors = library.problems.filter(({ severity }) => severity === 'error')
  if (errors.length > 0) throw new ProblemError([problem('publish-errors', { count: errors.length }), ...errors.slice(0, 1)])
  const id = requiredId(library.id)
  noteSecrets(artefacts.models.models.values())
  const drafts = await Promise.all(names.map(async (name) => ({ name, contents: await contentsOf(read, library, name) })))
  for (const { contents } of drafts) refuseSecrets(contents)
  const committed = await commitOf(read.root, drafts, options)
  return editing(folder, async (root) => {
    const approvers = await statedApprovers(root, options.approvers)
    if (options.key) refuseUselessKey(approvers, options.key)
    const published: Published[] = []
    for (const { name, contents } of drafts) {
      const draft: Draft = { library, id, name, contents, attachments, ...committed }
      published.push(await publishOne(root, draft, approvers, options))
    }
    const { channel, key } = options
    const changes = published.map(({ name, number }) => ({
      name,
      change: { does: 'point', channel: channel ?? '', edition: number } as const,
    }))
    return {
      published,
      channels: channel === undefined ? undefined : await changeHeld(root, changes, { library: id, ...(key && { key }) }),
    }
  })
}

interface Draft {
  readonly library: Library
  readonly id: string
  readonly name: string
  readonly contents: Readonly<Record<string, Uint8Array>>
  readonly attachments: LibraryFolder['attachments']
  readonly commit: string | undefined
  readonly author: string | undefined
  readonly changed: ReadonlySet<string>
}

async function publishOne(root: string, draft: Draft, approvers: Approvers | undefined, { note, key }: PublishOptions): Promise<Published> {
  const { library, id, name, contents, attachments, commit, author, changed } = draft
  const all = await editionsOf(root, name)
  const wrong = all.problems.filter(({ severity }) => severity === 'error')
  if (wrong.length > 0) throw new ProblemError(wrong)
  const fits = (stored: StoredEdition) => isSame(stored.edition, library, name)
  const newest = all.editions.at(-1)
  if (newest && fits(newest)) {
    if (key && !isPublished(all, newest, key)) await sign(root, all, newest, { approvers, key, action: 'publish' })
    return { ...newest, isNew: false, sameAs: undefined, isSigned: key !== undefined || isPublished(all, newest) }
  }
  const sameAs = all.editions.findLast(fits)?.number
  const number = (newest?.number ?? 0) + 1
  const uncommitted = Object.keys(contents).filter((path) => changed.has(path))
  const { edition, objects } = makeEdition(library, memberNamed(library, name), {
    edition: number,
    id,
    created: new Date().toISOString(),
    contents,
    attachments,
    ...(author !== undefined && { author }),
    ...(note !== undefined && { note }),
    ...(commit !== undefined && { commit }),
    ...(uncommitted.length > 0 && { uncommitted }),
    ...(sameAs !== undefined && { 'same-as': sameAs }),
  })
  for (const [digest, bytes] of objects) await store(root, objectPath(digest), bytes)
  const stored = await storeEdition(root, edition, name)
  if (key) await sign(root, all, stored, { approvers, key, action: 'publish' })
  return { ...stored, isNew: true, sameAs, isSigned: key !== undefined }
}

async function storeEdition(root: string, edition: Edition, name: string): Promise<StoredEdition> {
  const text = editionText(edition)
  const digest = digestOf(Buffer.from(text))
  const path = editionPath(name, edition.edition, digest)
  await store(root, path, text)
  return { name, number: edition.edition, digest, path, edition }
}

/** Whether an edition is one of the wording and the screens that the library has now. */
function isSame(edition: Edition, library: Library, name: string): boolean {
  const fingerprint = library.fingerprint(memberNamed(library, name))
  if (edition.library !== library.id || edition.fingerprint !== `sha256:${fingerprint ?? ''}`) return false
  const main = edition.files['dunelight.yaml']?.text
  const then = readLibraryFiles(main === undefined ? {} : { 'dunelight.yaml': main }, () => undefined)
  return canonical(then.library.screens) === canonical(library.artefacts.library.screens)
}

function isPublished(all: EditionsOf, { digest }: StoredEdition, key?: SigningKey): boolean {
  return all.statements.some(
    ({ signed: { statement } }) => statement.action === 'publish' && statement.digest === digest && (!key || statement.key === key.id),
  )
}

function refuseSecrets(contents: Readonly<Record<string, Uint8Array>>): void {
  const found = Object.entries(contents).flatMap(([path, bytes]) => (secrets.redactBytes(bytes) === bytes ? [] : [path]))
  if (found.length > 0) throw new ProblemError(found.map((file) => problem('edition-secret', { file })))
}

/**
 * The commit that the files are in, and those that are not in it as they are now. Without Git there is no commit.
 *
 * @throws ProblemError if files differ from the commit, and that is not allowed.
 */
async function commitOf(
  root: string,
  drafts: readonly { readonly contents: Readonly<Record<string, Uint8Array>> }[],
  { uncommitted = false, author }: PublishOptions,
): Promise<Pick<Draft, 'commit' | 'author' | 'changed'>> {
  const git = await Git.openIfAny(root)
  if (!git) return { commit: undefined, author, changed: new Set() }
  try {
    const commit = await git.head()
    const files = await git.filesAt(commit)
    const changed = new Set<string>()
    for (const { contents } of drafts)
      for (const [path, bytes] of Object.entries(contents)) {
        const id = files.get(path)
        if (id === undefined || !(await git.has(id, bytes))) changed.add(path)
      }
    if (changed.size > 0 && !uncommitted) throw new ProblemError([problem('publish-uncommitted', { files: [...changed].sort() })])
    return { commit, author: author ?? (await git.author()), changed }
  } finally {
    git.close()
  }
}

/**
 * Gives one of two editions with the same number the next number: the one without approvals, else the later one.
 *
 * @param folder - The library's folder.
 * @param names - The prompts and assemblies that have two editions with one number.
 * @returns What was renumbered: the name, the old and the new number.
 * @throws ProblemError if an edition is not what was published.
 * @example
 * (await renumberEditions(scratch, [])).length // => 0
 */
export async function renumberEditions(
  folder: string,
  names: readonly string[],
): Promise<readonly { readonly name: string; readonly from: number; readonly to: number }[]> {
  return editing(folder, async (root) => {
    const renumbered: { name: string; from: number; to: number }[] = []
    const used = (await channelsOf(root))?.channels.channels ?? {}
    for (const name of names) {
      const all = await editionsOf(root, name)
      const altered = all.problems.filter((p) => p.code === 'edition-altered')
      if (altered.length > 0) throw new ProblemError(altered)
      let next = (all.editions.at(-1)?.number ?? 0) + 1
      const live = new Set(Object.values(new Map(Object.entries(used)).get(name) ?? {}).map(({ digest }) => digest))
      const weight = (stored: StoredEdition) =>
        (live.has(stored.digest) ? 1000 : 0) +
        all.statements.filter(({ signed }) => signed.statement.digest === stored.digest && signed.statement.action === 'approve').length
      for (const [i, first] of all.editions.entries()) {
        const second = all.editions[i + 1]
        if (second?.number !== first.number) continue
        const [one, other] = [weight(first), weight(second)]
        const later = first.edition.created > second.edition.created ? first : second
        const moved = one === other ? later : one < other ? first : second
        await storeEdition(root, { ...moved.edition, edition: next }, name)
        // The old file goes last: nothing is lost if this ends in between.
        await rm(join(root, moved.path))
        for (const { path, signed } of all.statements)
          if (signed.statement.digest === moved.digest) await rm(join(root, path), { force: true })
        renumbered.push({ name, from: moved.number, to: next++ })
      }
    }
    return renumbered
  })
}
