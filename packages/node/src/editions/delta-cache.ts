import { createHash } from 'node:crypto'
import { mkdir, readFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { appendTo } from '../output/files.js'
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
const FORMAT = 2

/** What was found before, by the states on both sides: outside the library, and never wrong, since the id of a commit is that of its content. */
export class DeltaCache {
  private readonly deltas = new Map<string, Delta>()
  private readonly added: string[] = []

  private constructor(private readonly path: string) {}

  static async open(root: string): Promise<DeltaCache> {
    const name = createHash('sha256').update(root).digest('hex').slice(0, 24)
    const cache = new DeltaCache(join(stateFolder(), 'history', `${name}.jsonl`))
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
