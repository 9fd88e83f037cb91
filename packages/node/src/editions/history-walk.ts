import { createHash } from 'node:crypto'
import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { Library } from 'dunelight'
import {
  artefactFile,
  canonical,
  contentTexts,
  defined,
  FileCache,
  graphOf,
  readLibraryFiles,
  sharedOf,
  type LibraryFiles,
} from 'dunelight/host'
import type { LibraryGraph } from 'dunelight/parts'
import { filesOf } from 'dunelight/editions'
import { readLibraryFolder, readLibraryTexts } from '../library/open-library.js'
import { besideTexts, textsOf, type KnownFiles } from '../library/snapshot.js'
import { sha256, textBytes } from '../output/bytes.js'
import { filesBelow } from '../output/files-below.js'
import { objectId, type Commit, type Git } from '../snapshots/git.js'
import type { Delta, HistoryCache } from './history-cache.js'
import { memberNamed } from './wording-files.js'

/** What is known of every prompt and assembly at one state of the library. */
interface State {
  /** By name. */
  readonly wordings: ReadonlyMap<string, WordingState>
  readonly graph: LibraryGraph
  readonly artefacts: LibraryFiles
  readonly used: Pick<Awaited<ReturnType<typeof besideTexts>>, 'attachments' | 'tables'>
}

interface WordingState {
  /** The ids of the files that it uses, by path. */
  readonly files: ReadonlyMap<string, string>
  /** Undefined where its file cannot be read. */
  readonly hashes: ContentHashes | undefined
}

/** Hashes of what `contentTexts` gives: the second one is needed only where the first one differs. */
export class ContentHashes {
  readonly written: string
  private known: string | undefined

  constructor(private readonly texts: ReturnType<typeof contentTexts>) {
    this.written = sha256(textBytes(texts.written))
  }

  get content(): string {
    return (this.known ??= sha256(textBytes(this.texts.content())))
  }
}

const ARTEFACT_FILE = /^(?:prompts|assemblies)\/(.+)\.(?:yaml|json)$/

/** Goes through the states of a library, from the oldest to the newest: what did not change is not read again. */
export class HistoryWalk {
  private readonly cache = new FileCache()
  private readonly texts = new Map<string, Promise<string>>()
  private readonly besides: KnownFiles = new Map()
  private readonly hashes = new Map<string, WordingState['hashes']>()
  private latest: { readonly commit: string; readonly tree: string | undefined; readonly state: State } | undefined

  constructor(
    private readonly git: Git,
    private readonly known: HistoryCache,
  ) {}

  /** What each commit changed, in the order of the commits. */
  async deltas(commits: readonly Commit[]): Promise<readonly Delta[]> {
    await this.prefetch(commits)
    const deltas: Delta[] = []
    for (let i = commits.length - 1; i >= 0; i--) deltas.unshift(await this.delta(commits[i + 1]?.id, defined(commits[i]).id))
    await this.known.save()
    return deltas
  }

  /** Asks Git for all trees at once, where a delta is not known. */
  private async prefetch(commits: readonly Commit[]): Promise<void> {
    const unknown = commits.filter(({ id }, i) => !this.known.has(keyOf(commits[i + 1]?.id, id)))
    await Promise.all(unknown.map(async ({ id }) => textsOf(this.git, await this.git.filesAt(id), this.texts)))
  }

  private delta(before: string | undefined, after: string): Promise<Delta> {
    return this.known.get(keyOf(before, after), async () => {
      const old = await this.stateOf(before)
      return deltaOf(old, await this.stateOf(after))
    })
  }

  /** What the working files change against a commit. */
  async workingDelta({ root, key }: WorkingFiles, commit: string | undefined): Promise<Delta> {
    const delta = await this.known.get(keyOf(commit, key), async () =>
      deltaOf(await this.stateOf(commit), await this.workingState(root, commit)),
    )
    await this.known.save()
    return delta
  }

  private async workingState(root: string, commit: string | undefined): Promise<State> {
    const { files, artefacts, attachments, tables } = await readLibraryFolder(root, { mayBeEmpty: true })
    const committed = await this.git.filesAt(commit)
    const ids = new Map<string, string>()
    for (const [path, text] of Object.entries(files)) {
      const id = committed.get(path)
      const bytes = Buffer.from(text)
      ids.set(path, id !== undefined && (await this.git.has(id, bytes)) ? id : objectId(bytes))
    }
    for (const [path, rows] of Object.entries(tables)) ids.set(path, objectId(Buffer.from(JSON.stringify(rows))))
    return this.state(artefacts, ids, { attachments, tables })
  }

  private async stateOf(commit: string | undefined): Promise<State> {
    if (commit === undefined)
      return this.state(
        readLibraryFiles({}, () => undefined),
        new Map(),
        { attachments: {}, tables: {} },
      )
    if (this.latest?.commit === commit) return this.latest.state
    const tree = await this.git.treeAt(commit)
    const isSame = this.latest !== undefined && this.latest.tree === tree
    const state = isSame ? defined(this.latest).state : tree === undefined ? await this.stateOf(undefined) : await this.read(tree)
    this.latest = { commit, tree, state }
    return state
  }

  private async read(tree: string): Promise<State> {
    const files = await this.git.filesOf(tree)
    const artefacts = readLibraryFiles(await textsOf(this.git, files, this.texts), () => undefined, this.cache)
    return this.state(artefacts, files, await besideTexts(this.git, files, artefacts, this.besides))
  }

  private state(artefacts: LibraryFiles, files: ReadonlyMap<string, string>, used: State['used']): State {
    const graph = graphOf(artefacts)
    const wordings = new Map<string, WordingState>()
    for (const [path, id] of files) {
      const name = ARTEFACT_FILE.exec(path)?.[1]
      if (name !== undefined) wordings.set(name, { files: new Map([[path, id]]), hashes: undefined })
    }
    for (const name of [...artefacts.prompts.keys(), ...artefacts.assemblies.keys()]) {
      const member = memberNamed({ artefacts }, name)
      const own = new Map(
        filesOf({ artefacts, graph }, member).flatMap((path) => (files.has(path) ? [[path, defined(files.get(path))]] : [])),
      )
      const key = `${member.kind} ${name} ${JSON.stringify([...own])}`
      let hashes = this.hashes.get(key)
      if (!hashes) this.hashes.set(key, (hashes = new ContentHashes(contentTexts(member, artefacts, graph, used))))
      wordings.set(name, { files: own, hashes })
    }
    return { wordings, graph, artefacts, used }
  }
}

function keyOf(before: string | undefined, after: string): string {
  return `${before ?? '-'} ${after}`
}

/** The working files of a library. */
export interface WorkingFiles {
  readonly root: string
  /** Tells one state of them from another: their texts, and of tables and other data when they were changed. */
  readonly key: string
}

export async function workingFiles(root: string): Promise<WorkingFiles> {
  const { files } = await readLibraryTexts(root)
  const hash = createHash('sha256')
  for (const path of Object.keys(files).sort()) hash.update(JSON.stringify([path, files[path]]))
  for (const path of await filesBelow(join(root, 'data'))) {
    const { size, mtimeMs } = await stat(join(root, 'data', path))
    hash.update(JSON.stringify([path, size, mtimeMs]))
  }
  return { root, key: `working-${hash.digest('hex')}` }
}

function deltaOf(before: State, after: State): Delta {
  const delta: Record<string, Delta[string]> = {}
  for (const [name, { hashes, files }] of after.wordings) {
    const old = before.wordings.get(name)
    if (old && isSame(name, before, after)) continue
    const by = old && hashes ? changersOf(name, old.files, files, before, after) : []
    delta[name] = { ...(hashes ? { content: hashes.content } : { isBroken: true }), by, ...(!old && { isNew: true }) }
  }
  for (const name of before.wordings.keys()) if (!after.wordings.has(name)) delta[name] = null
  return delta
}

/** Whether a name has the same fingerprint in two states. Libraries are compiled only where nothing but an order of keys differs. */
function isSame(name: string, before: State, after: State): boolean {
  const [old, now] = [before.wordings.get(name)?.hashes, after.wordings.get(name)?.hashes]
  if (old === undefined || now === undefined) return old === now
  if (old.written === now.written) return true
  return old.content === now.content && fingerprintIn(before, name) === fingerprintIn(after, name)
}

function fingerprintIn({ artefacts, used }: State, name: string): string | undefined {
  return new Library(artefacts, [], { ...used, countTokens: () => 0 }).fingerprint(memberNamed({ artefacts }, name))
}

/** What changed, in words: `its own file`, `snippet house/style`. */
function changersOf(
  name: string,
  old: ReadonlyMap<string, string>,
  now: ReadonlyMap<string, string>,
  before: State,
  after: State,
): readonly string[] {
  const paths = [...new Set([...old.keys(), ...now.keys()])].filter((path) => old.get(path) !== now.get(path))
  // Not everything in the library's own file decides how a prompt is rendered.
  const isSameMain = canonical(sharedOf(before.artefacts.library)) === canonical(sharedOf(after.artefacts.library))
  const words = (path: string): string => {
    const member = [after, before].flatMap((state) => state.graph.members.filter((one) => artefactFile(state.artefacts, one) === path))[0]
    if (!member) return path
    if ((member.kind === 'prompt' || member.kind === 'assembly') && member.name === name) return 'its own file'
    return `${member.kind} ${member.name}`
  }
  return [...new Set(paths.filter((path) => path !== 'dunelight.yaml' || !isSameMain).map(words))].sort()
}
