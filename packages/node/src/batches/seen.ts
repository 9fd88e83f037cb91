/** Hashes that have come before, in as little room as can be: millions of names and fingerprints are kept by eight bytes each. */
export class Seen {
  private high = new Uint32Array(FIRST)
  private low = new Uint32Array(FIRST)
  private rows: Uint32Array
  private count = 0

  /** `withRows`: whether the row is kept in which each came first. */
  constructor(private readonly withRows: boolean) {
    this.rows = new Uint32Array(withRows ? FIRST : 0)
  }

  get size(): number {
    return this.count
  }

  /** Adds a hash; where it came before, its row (or 1 where rows are not kept), else undefined. */
  add(high: number, low: number, row: number): number | undefined {
    if (this.count * 10 > this.low.length * 6) this.grow()
    // A slot without a hash is empty: zero stands for no hash.
    const key = low === 0 && high === 0 ? 1 : low
    let at = this.slotOf(high, key)
    while (this.low[at] !== 0 || this.high[at] !== 0) {
      if (this.low[at] === key && this.high[at] === high) return this.withRows ? this.rows[at] : 1
      at = (at + 1) & (this.low.length - 1)
    }
    this.high[at] = high
    this.low[at] = key
    if (this.withRows) this.rows[at] = row
    this.count++
    return undefined
  }

  private slotOf(high: number, low: number): number {
    return (Math.imul(high, 0x9e3779b1) ^ low) & (this.low.length - 1)
  }

  private grow(): void {
    const { high, low, rows } = this
    this.high = new Uint32Array(low.length * 2)
    this.low = new Uint32Array(low.length * 2)
    if (this.withRows) this.rows = new Uint32Array(low.length * 2)
    this.count = 0
    for (let i = 0; i < low.length; i++) if (low[i] !== 0 || high[i] !== 0) this.add(high[i]!, low[i]!, rows[i] ?? 0)
  }
}

const FIRST = 1 << 12

/** A text's hash in two halves: FNV-1a with two beginnings. */
export function hashName(text: string): readonly [number, number] {
  let one = 0x811c9dc5
  let other = 0x9747b28c
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i)
    one = Math.imul(one ^ unit, 0x01000193)
    other = Math.imul(other ^ unit, 0x5bd1e995)
    other ^= other >>> 13
  }
  return [one >>> 0, other >>> 0]
}

/** The first half of a fingerprint. */
export function hashFingerprint(fingerprint: string): readonly [number, number] {
  return [Number.parseInt(fingerprint.slice(0, 8), 16), Number.parseInt(fingerprint.slice(8, 16), 16)]
}
