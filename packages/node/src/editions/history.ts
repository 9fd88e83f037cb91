import { realpath } from 'node:fs/promises'
import { ProblemError, type Problem } from 'dunelight'
import { contentTexts, defined, graphOf, problem } from 'dunelight/host'
import { sha256, textBytes } from '../output/bytes.js'
import { storedContent } from '../snapshots/edition-content.js'
import { editionsOf } from '../snapshots/edition-folder.js'
import { Git, type Commit } from '../snapshots/git.js'
import { HistoryCache, type Delta } from './history-cache.js'
import { HistoryWalk, workingFiles } from './history-walk.js'
import { memberNamed } from './wording-files.js'

/** A change of a prompt's wording. */
export interface WordingChange {
  /** `broken`: its file cannot be read at that commit. */
  readonly does: 'added' | 'changed' | 'removed' | 'renamed' | 'broken'
  /** The prompt or assembly, as it was called then. */
  readonly name: string
  /** What it was called before. */
  readonly before?: string
  /** What changed it: its own file, or what it uses. */
  readonly by: readonly string[]
  /** The editions that have this wording. */
  readonly editions: readonly number[]
}

/** A commit in which wordings changed. */
export interface HistoryEntry {
  /** Undefined for the working files, as far as they differ from the last commit. */
  readonly commit: Commit | undefined
  readonly changes: readonly WordingChange[]
}

/** The changes of wordings, and what keeps them from being complete. */
export interface History {
  /** Newest first. */
  readonly entries: readonly HistoryEntry[]
  readonly problems: readonly Problem[]
}

/**
 * The commits in which the wording of a prompt changed: by fingerprints, so that comments and moved keys are no change, and a snippet's change
 * is one of every prompt that uses it. History follows the first parent of a merge.
 *
 * @param folder - The library's folder, in a Git repository.
 * @param name - A prompt or an assembly. Default: all.
 * @returns The changes, newest first; before them those of the working files.
 * @throws ProblemError if there is no repository, or if the name never existed.
 * @example
 * const thrown = await wordingHistory('demo/marram-house', 'no/such').catch((error) => error)
 * thrown.problems.length // => 1
 */
export async function wordingHistory(folder: string, name?: string): Promise<History> {
  const root = await realpath(folder)
  const git = await Git.open(root)
  try {
    // Git works while the files are read.
    const [head, cache, working] = await Promise.all([git.head(), HistoryCache.open(root), workingFiles(root)])
    const commits = head === undefined ? [] : await cache.commitsTo(head, git)
    const walk = new HistoryWalk(git, cache)
    const deltas = await walk.deltas(commits)
    const uncommitted = await walk.workingDelta(working, commits[0]?.id)
    const problems: Problem[] = []
    const first = commits.at(-1)
    if (git.isShallow && first) problems.push(problem('history-shallow', { commit: first.id.slice(0, 12) }))
    const steps = [{ commit: undefined, delta: uncommitted }, ...commits.map((commit, i) => ({ commit, delta: defined(deltas[i]) }))]
    const entries = await new Entries(git, root, steps).of(name)
    if (name !== undefined && entries.length === 0) {
      const known = [...new Set(steps.flatMap(({ delta }) => Object.keys(delta)))]
      throw new ProblemError([problem('prompt-unknown', { name, known })])
    }
    return { entries, problems }
  } finally {
    git.close()
  }
}

interface Step {
  readonly commit: Commit | undefined
  readonly delta: Delta
}

/** Makes the entries of a history out of what each commit changed. */
class Entries {
  private readonly editions = new Map<string, ReadonlyMap<string, readonly number[]>>()

  constructor(
    private readonly git: Git,
    private readonly root: string,
    private readonly steps: readonly Step[],
  ) {}

  /** The entries of a name, which follows renames into the past; or of all names. */
  async of(wanted: string | undefined): Promise<HistoryEntry[]> {
    const entries: HistoryEntry[] = []
    let followed = wanted
    for (const [i, { commit, delta }] of this.steps.entries()) {
      const changes = await this.changes(i, delta, followed)
      if (changes.length > 0) entries.push({ commit, changes: changes.sort((a, b) => (a.name < b.name ? -1 : 1)) })
      followed = changes.find((change) => change.name === followed && change.before !== undefined)?.before ?? followed
    }
    return entries
  }

  private async changes(place: number, delta: Delta, followed: string | undefined): Promise<WordingChange[]> {
    const changes: WordingChange[] = []
    const gone = Object.keys(delta).filter((name) => delta[name] === null)
    const renamed = new Set<string>()
    for (const [name, change] of Object.entries(delta)) {
      if (!change || (followed !== undefined && name !== followed)) continue
      const { content, by, isNew = false, isBroken = false } = change
      const before = isNew && gone.length > 0 ? await this.earlierName(place, name, gone) : undefined
      if (before !== undefined) renamed.add(before)
      changes.push({
        does: isBroken ? 'broken' : before !== undefined ? 'renamed' : isNew ? 'added' : 'changed',
        name,
        ...(before !== undefined && { before }),
        by,
        editions: content === undefined ? [] : ((await this.editionsOf(name)).get(content) ?? []),
      })
    }
    for (const name of gone)
      if (!renamed.has(name) && (followed === undefined || followed === name)) changes.push({ does: 'removed', name, by: [], editions: [] })
    return changes
  }

  /** What a new name was called before its commit: the file that Git takes for the same. */
  private async earlierName(place: number, name: string, gone: readonly string[]): Promise<string | undefined> {
    const [after, before] = [this.steps[place]?.commit, this.steps[place + 1]?.commit]
    if (!after || !before) return undefined
    for (const folder of ['prompts', 'assemblies']) {
      for (const ending of ['yaml', 'json']) {
        const path = await this.git.earlierName(before.id, after.id, `${folder}/${name}.${ending}`)
        const earlier = path?.replace(/^[^/]+\//, '').replace(/\.\w+$/, '')
        if (earlier !== undefined && gone.includes(earlier)) return earlier
      }
    }
    return undefined
  }

  /** The numbers of a name's editions, by the hash of their content. */
  private async editionsOf(name: string): Promise<ReadonlyMap<string, readonly number[]>> {
    const known = this.editions.get(name)
    if (known) return known
    const numbers = new Map<string, number[]>()
    for (const { number, edition } of (await editionsOf(this.root, name)).editions) {
      const content = await storedContent(this.root, edition)
      if (typeof content === 'string') continue
      const { artefacts } = content
      const hash = sha256(textBytes(contentTexts(memberNamed({ artefacts }, name), artefacts, graphOf(artefacts), content).content()))
      numbers.set(hash, [...(numbers.get(hash) ?? []), number])
    }
    this.editions.set(name, numbers)
    return numbers
  }
}
