import { ProblemError, type Problem } from 'dunelight'
import { attachedFiles, canonical, caseTables, defined, OTHER_FOLDERS, problem, readLibraryFiles, type LibraryFiles } from 'dunelight/host'
import { readReference, type EditionContent, type Snapshot } from 'dunelight/editions'
import { caseRowsOf } from '../sources/case-tables.js'
import { fileValueOf } from '../sources/file-value.js'
import { chooseEdition, expiryOf, refuseUnapproved, trustedChannels } from '../snapshots/choose-edition.js'
import { verifiedContent } from '../snapshots/edition-content.js'
import { Git, type TreeFiles } from '../snapshots/git.js'
import { trustedApprovers, type ApproverOptions } from '../snapshots/trust.js'
import { tagsOf } from 'dunelight/editions'

/** A wording that is not the working files' own. */
export interface Wording {
  /** The prompt or assembly. */
  readonly name: string
  /** The reference with what it stood for when it was opened: a number for a channel, an id for a revision. */
  readonly pinned: string
  readonly edition?: { readonly number: number; readonly digest: string; readonly fingerprint: string }
  readonly channel?: string
  readonly commit?: string
}

/** What a snapshot has in place of the working files. */
export interface SnapshotContent extends EditionContent {
  readonly wording: Wording
  /** The bytes of attached files and of tables, by path. */
  readonly contents: Readonly<Record<string, Uint8Array>>
}

/** Files that are taken from the working library, whatever the wording: which records are asked about, and which models. */
const BESIDE = /^(?:batches|envelopes)\/|^models\.yaml$/
const TEXT_FILE = /\.(?:yaml|json|md|txt)$/

/**
 * Reads the wording that a reference means. The batches and the models are those of the working library, and its screens apply beside those
 * of the snapshot.
 *
 * @param root - The library's folder.
 * @param reference - `label/write@7`, `label/write@live`, `label/write@git:HEAD~3`; a batch means its prompt.
 * @param working - The texts of the working library.
 * @param trust - Whose approvals count.
 * @param instead - Texts that replace those of the snapshot.
 * @throws ProblemError if there is no such snapshot, or if it may not be used.
 */
export async function readSnapshot(
  root: string,
  reference: string,
  working: Readonly<Record<string, string>>,
  trust: ApproverOptions,
  instead: Readonly<Record<string, string>> = {},
): Promise<SnapshotContent | undefined> {
  const { name: stated, snapshot } = readReference(reference)
  if (!snapshot) return undefined
  const own = readLibraryFiles(working, () => undefined)
  const name = own.batches.get(stated)?.prompt?.name ?? stated
  const beside = Object.fromEntries(Object.entries(working).filter(([path]) => BESIDE.test(path)))
  const content =
    snapshot.kind === 'git'
      ? await contentAt(root, name, snapshot.revision, beside)
      : await contentOfEdition(root, name, snapshot, beside, own, trust)
  if (Object.keys(instead).length === 0) return { ...content, artefacts: withOwn(content.artefacts, own) }
  const files = { ...content.files, ...instead }
  const problems: Problem[] = []
  return {
    ...content,
    files,
    problems,
    artefacts: withOwn(
      readLibraryFiles(files, (p) => problems.push(p)),
      own,
    ),
  }
}

/** The screens of the working library beside those of the snapshot, and what is recorded: an old wording is no way around either. */
function withOwn(artefacts: LibraryFiles, own: LibraryFiles): LibraryFiles {
  const known = new Set(artefacts.library.screens.map(canonical))
  const screens = [...artefacts.library.screens, ...own.library.screens.filter((screen) => !known.has(canonical(screen)))]
  return { ...artefacts, library: { ...artefacts.library, screens, audit: own.library.audit } }
}

async function contentOfEdition(
  root: string,
  name: string,
  snapshot: Exclude<Snapshot, { kind: 'git' }>,
  beside: Readonly<Record<string, string>>,
  { library }: LibraryFiles,
  trust: ApproverOptions,
): Promise<SnapshotContent> {
  const approvers = await trustedApprovers(root, trust)
  const channels = await trustedChannels(root, library.id, approvers, trust.state)
  const { chosen, all } = await chooseEdition(root, name, snapshot, channels)
  const { number, digest, path, edition } = chosen
  refuseUnapproved(all, chosen, tagsOf(edition), { library: library.id, channels, approvers })
  const content = await verifiedContent(root, edition, beside)
  if (typeof content === 'string') throw new ProblemError([problem('edition-altered', { file: path, why: content })])
  const { problems } = content
  const wording: Wording = {
    name,
    pinned: `${name}@${number}`,
    edition: { number, digest, fingerprint: edition.fingerprint },
    ...(snapshot.kind === 'channel' && { channel: snapshot.name }),
  }
  // Only what a channel points at can be out of date.
  const expires = snapshot.kind === 'channel' ? expiryOf(channels) : undefined
  return { ...content, problems: expires === undefined ? problems : [...problems, problem('channels-expired', { expires })], wording }
}

async function contentAt(root: string, name: string, revision: string, beside: Readonly<Record<string, string>>): Promise<SnapshotContent> {
  const git = await Git.open(root)
  try {
    const commit = await git.commitOf(revision)
    const tree = await git.treeAt(commit)
    if (tree === undefined) throw new ProblemError([problem('revision-without', { name, revision })])
    const files = await git.filesOf(tree)
    const texts = await textsOf(git, files)
    const problems: Problem[] = []
    const kept = Object.entries(texts).filter(([path]) => !BESIDE.test(path))
    const all = { ...Object.fromEntries(kept), ...beside }
    const artefacts = readLibraryFiles(all, (p) => problems.push(p))
    if (!artefacts.prompts.has(name) && !artefacts.assemblies.has(name))
      throw new ProblemError([problem('revision-without', { name, revision })])
    return {
      files: all,
      artefacts,
      problems,
      ...(await besideTexts(git, files, artefacts)),
      wording: { name, pinned: `${name}@git:${commit}`, commit },
    }
  } finally {
    git.close()
  }
}

/**
 * The texts of a library at a commit, by path.
 *
 * @param known - Texts that were read before, by the ids of their objects.
 */
export async function textsOf(git: Git, files: TreeFiles, known = new Map<string, Promise<string>>()): Promise<Record<string, string>> {
  const wanted = [...files].filter(([path]) => TEXT_FILE.test(path) && !OTHER_FOLDERS.includes(defined(path.split('/')[0])))
  const read = (id: string): Promise<string> => {
    const text = known.get(id) ?? git.text(id)
    known.set(id, text)
    return text
  }
  return Object.fromEntries(await Promise.all(wanted.map(async ([path, id]): Promise<[string, string]> => [path, await read(id)])))
}

/** Files beside the texts that were read before, by their paths and objects. */
export type KnownFiles = Map<string, Promise<{ readonly bytes: Uint8Array; readonly value: unknown }>>

/** The files that turns attach, and the tables that cases come from, at a commit. */
export async function besideTexts(
  git: Git,
  files: TreeFiles,
  artefacts: LibraryFiles,
  known: KnownFiles = new Map(),
): Promise<Pick<SnapshotContent, 'attachments' | 'tables' | 'contents'>> {
  const contents: Record<string, Uint8Array> = {}
  const read = async <T>(paths: readonly string[], make: (path: string, bytes: Uint8Array) => Promise<T | string>) => {
    const values = paths.map(async (path): Promise<[string, T | string]> => {
      const id = files.get(path)
      if (id === undefined) return [path, 'it did not exist']
      const key = `${path} ${id}`
      const file = known.get(key) ?? git.object(id).then(async (bytes) => ({ bytes, value: await make(path, bytes) }))
      known.set(key, file)
      const { bytes, value } = await file
      contents[path] = bytes
      return [path, value as T | string]
    })
    return Object.fromEntries(await Promise.all(values))
  }
  return {
    attachments: await read(attachedFiles(artefacts), (path, bytes) => fileValueOf(defined(path.split('/').at(-1)), bytes)),
    tables: await read(caseTables(artefacts), caseRowsOf),
    contents,
  }
}
