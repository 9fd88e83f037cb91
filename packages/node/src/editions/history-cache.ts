import { mkdir, readFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { sha256, textBytes } from '../output/bytes.js'
import { appendTo, replaceFile } from '../output/files.js'
import type { Commit, Git } from '../snapshots/git.js'
import { stateFolder } from '../snapshots/state.js'

/** What differs between two states of a library, by name; `null`: the name is gone. */
export type Delta = Readonly<Record<string, WordingDelta | null>>

export interface WordingDelta {
  /** The hash of the new content; absent where its file cannot be read. */
  readonly content?: string
  readonly isBroken?: boolean
  /** What changed it. */
  readonly by: readonly string[]
  readonly isNew?: boolean
}

/** Changed where deltas come to mean something else. */
const FORMAT = 3

/** What was found before, by the states on both sides: outside the library, and never wrong, since the id of a commit is that of its content. */
export class HistoryCache {
  private readonly deltas = new Map<string, Delta>()
  private readonly added: string[] = []

  private constructor(private readonly path: string) {}

  static async open(root: string): Promise<HistoryCache> {
    const name = sha256(textBytes(root)).slice(0, 24)
    const cache = new HistoryCache(join(stateFolder(), 'history', `${name}.jsonl`))
    const text = await readFile(cache.path, 'utf8').catch(() => '')
    for (const line of text.split('\n')) {
      try {
        const { format, key, delta } = JSON.parse(line) as { format: number; key: string; delta: Delta }
        if (format === FORMAT) cache.deltas.set(key, delta)
      } catch {
        // An empty line, or one that was not written to its end.
      }
    }
    return cache
  }

  /** The commits up to one: Git lists them slowly, and they are the same for ever. A shallow clone may get more of them. */
  async commitsTo(head: string, git: Git): Promise<readonly Commit[]> {
    if (git.isShallow) return git.log(head)
    const path = this.path.replace(/\.jsonl$/, '-commits.json')
    try {
      const known = JSON.parse(await readFile(path, 'utf8')) as { format: number; head: string; commits: readonly Commit[] }
      if (known.format === FORMAT && known.head === head) return known.commits
    } catch {
      // It is not there yet.
    }
    const commits = await git.log(head)
    await mkdir(dirname(path), { recursive: true })
      .then(() => replaceFile(path, JSON.stringify({ format: FORMAT, head, commits }), { durable: false }))
      .catch(() => undefined)
    return commits
  }

  has(key: string): boolean {
    return this.deltas.has(key)
  }

  async get(key: string, find: () => Promise<Delta>): Promise<Delta> {
    const known = this.deltas.get(key)
    if (known) return known
    const delta = await find()
    this.deltas.set(key, delta)
    this.added.push(`${JSON.stringify({ format: FORMAT, key, delta })}\n`)
    return delta
  }

  /** Keeps what was found; where nothing can be written, it is found again. */
  async save(): Promise<void> {
    if (this.added.length === 0) return
    try {
      await mkdir(dirname(this.path), { recursive: true })
      await appendTo(this.path, this.added.splice(0).join(''))
    } catch {
      // The cache saves time, nothing else.
    }
  }
}
