/** A source of numbers that the same seed gives again (mulberry32). */
export class Random {
  constructor(private state: number) {}

  /** A number from 0 up to 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }

  below(count: number): number {
    return Math.floor(this.next() * count)
  }

  chance(share: number): boolean {
    return this.next() < share
  }

  from<T>(all: readonly T[]): T {
    return all[this.below(all.length)]!
  }

  times<T>(most: number, make: () => T): T[] {
    return Array.from({ length: this.below(most + 1) }, make)
  }
}
