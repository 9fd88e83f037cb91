import { hashFingerprint, HashSet64 } from '../runs/hash-set.js'
import type { Block } from '../runs/block.js'
import type { Beside } from '../runs/outcome.js'
import { countSame, type RenderCounts } from './render-counts.js'

/** The file that keeps the fingerprints of an unfinished run. */
export const SEEN_FILE = 'seen.bin'
/** Equal prompts are detected among this many records: their fingerprints are in memory. */
export const MOST_COMPARED = 1_000_000

/** Finds records that give the same prompt as one before them. */
export class SamePrompts {
  private readonly seen = new HashSet64(true)

  /** Remembers what a file of this kind keeps. */
  recall(bytes: Uint8Array): void {
    const all = new Uint32Array(bytes.slice().buffer)
    for (let i = 0; i + 2 < all.length; i += 3) this.seen.add(all[i] ?? 0, all[i + 1] ?? 0, all[i + 2] ?? 0)
  }

  /** Compares the records at these places of a block; gives what the file gets. */
  compare({ ids, rows, fingerprints }: Block, places: readonly number[], counts: RenderCounts): readonly Beside[] {
    const added: number[] = []
    for (const place of places) {
      const fingerprint = fingerprints[place]
      if (fingerprint === undefined || this.seen.size >= MOST_COMPARED) continue
      const [high, low] = hashFingerprint(fingerprint)
      const row = rows[place] ?? 0
      const first = this.seen.add(high, low, row)
      if (first === undefined) added.push(high, low, row)
      else countSame(counts, ids[place] ?? '', row, first)
    }
    return added.length === 0 ? [] : [[SEEN_FILE, new Uint8Array(Uint32Array.from(added).buffer)]]
  }
}
