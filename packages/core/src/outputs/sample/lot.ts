import { defined } from '../../invariant.js'
/** Numbers by lot from a seed: the same on every machine (a 32-bit generator with a good mixing step). */
export class Lot {
  private state: number
  /** Texts that are still to be said somewhere. */
  readonly toSay: string[] = []

  constructor(
    seed: number,
    /** Words and figures to make things up of, beside those of no importance. */
    readonly known: { readonly words?: readonly string[]; readonly numbers?: readonly number[] } = {},
  ) {
    this.state = Math.imul(seed | 0, 0x9e3779b1) ^ 0x85ebca6b
  }

  /** From 0 to 1, without 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0
    let mixed = Math.imul(this.state ^ (this.state >>> 15), this.state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 0x1_0000_0000
  }

  /** A whole number, both ends among them. */
  whole(least: number, most: number): number {
    return least + Math.floor(this.next() * (most - least + 1))
  }

  /** The next text that is to be said, if it has no more words and signs than that. */
  saying(words: number, signs: number): string | undefined {
    const [next] = this.toSay
    return next !== undefined && next.split(/\s+/).length <= words && next.length <= signs ? this.toSay.shift() : undefined
  }

  of<T>(list: readonly T[]): T {
    return defined(list[this.whole(0, list.length - 1)])
  }
}
