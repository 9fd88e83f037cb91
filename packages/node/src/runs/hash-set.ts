import { defined } from 'dunelight/host'
/**
 * Hashes that have come before, in as little room as can be: millions of names and fingerprints are kept by eight bytes each. They are kept in
 * parts, so that only one part is ever duplicated while it grows.
 */
export class HashSet64 {
  private readonly parts: readonly Part[]
  private count = 0

  /** `withRows`: whether the row is kept in which each came first. */
  constructor(withRows: boolean) {
    this.parts = Array.from({ length: PARTS }, () => new Part(withRows))
  }

  get size(): number {
    return this.count
  }

  /** Adds a hash; where it came before, its row (or 1 where rows are not kept), else undefined. */
  add(high: number, low: number, row: number): number | undefined {
    const before = defined(this.parts[high % PARTS]).add(high, low, row)
    if (before === undefined) this.count++
    return before
  }
}

const PARTS = 61

class Part {
  /** Both halves of a hash side by side, so that a look for one goes to memory once. */
  private halves = new Uint32Array(2 * FIRST)
  private rows: Uint32Array
  private count = 0

  constructor(private readonly withRows: boolean) {
    this.rows = new Uint32Array(withRows ? FIRST : 0)
  }

  add(high: number, low: number, row: number): number | undefined {
    if (this.count * 20 > this.halves.length * 7) this.grow()
    const { halves } = this
    // A slot without a hash is empty: zero means no hash.
    const key = low === 0 && high === 0 ? 1 : low
    const last = halves.length - 1
    let position = (2 * (Math.imul(high, 0x9e3779b1) ^ key)) & last
    while (halves[position] !== 0 || halves[position + 1] !== 0) {
      if (halves[position + 1] === key && halves[position] === high) return this.withRows ? this.rows[position >> 1] : 1
      position = (position + 2) & last
    }
    halves[position] = high
    halves[position + 1] = key
    if (this.withRows) this.rows[position >> 1] = row
    this.count++
    return undefined
  }

  private grow(): void {
    const { halves, rows } = this
    this.halves = new Uint32Array(halves.length * 2)
    if (this.withRows) this.rows = new Uint32Array(rows.length * 2)
    this.count = 0
    for (let i = 0; i < halves.length; i += 2)
      if (halves[i] !== 0 || halves[i + 1] !== 0) this.add(defined(halves[i]), defined(halves[i + 1]), rows[i >> 1] ?? 0)
  }
}

const FIRST = 1 << 8

/** A text's hash in two halves: FNV-1a with two beginnings. */
export function hashName(text: string): readonly [number, number] {
  let number = 0x811c9dc5
  let other = 0x9747b28c
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i)
    number = Math.imul(number ^ unit, 0x01000193)
    other = Math.imul(other ^ unit, 0x5bd1e995)
    other ^= other >>> 13
  }
  return [number >>> 0, other >>> 0]
}

/** The first half of a fingerprint. */
export function hashFingerprint(fingerprint: string): readonly [number, number] {
  return [Number.parseInt(fingerprint.slice(0, 8), 16), Number.parseInt(fingerprint.slice(8, 16), 16)]
}
