import { defined } from '../../invariant.js'
import { factsOf, type Facts } from './facts.js'

/** Random numbers from a seed, and what a sample may use. A 32-bit generator with a good mixing step: the same on every machine. */
export class SampleRandom {
  private state: number
  private remembered: Facts | undefined
  /** Texts that the sample must still contain. */
  private required: string[] = []
  /** Sentences that the sample has not used yet. */
  private unused: string[] | undefined

  /** @param values What the sample may mention: the values of a record. */
  constructor(
    seed: number,
    private readonly values?: Readonly<Record<string, unknown>>,
  ) {
    this.state = Math.imul(seed | 0, 0x9e3779b1) ^ 0x85ebca6b
  }

  /** The facts that sentences are made of: those of the record, or invented ones. */
  get facts(): Facts {
    return (this.remembered ??= factsOf(this.values ?? this.invented()))
  }

  /** From 0 to 1, without 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0
    let mixed = Math.imul(this.state ^ (this.state >>> 15), this.state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 0x1_0000_0000
  }

  /** A whole number from `least` to `most`, both included. */
  whole(least: number, most: number): number {
    return least + Math.floor(this.next() * (most - least + 1))
  }

  /** Begins a sample, which must contain these texts. */
  begin(required: readonly string[]): void {
    this.required = [...required]
    this.unused = undefined
  }

  /** The sentences that the sample has not used yet; `write` makes all of them. A sentence that is used is removed from the list. */
  sentences(write: () => string[]): string[] {
    return (this.unused ??= write())
  }

  /** The next required text, if it has at most this many words and characters. */
  takeRequired(words: number, characters: number): string | undefined {
    const [next] = this.required
    return next !== undefined && next.split(/\s+/).length <= words && next.length <= characters ? this.required.shift() : undefined
  }

  of<T>(list: readonly T[]): T {
    return defined(list[this.whole(0, list.length - 1)])
  }

  private invented(): Record<string, unknown> {
    return {
      title: `${this.of(MATERIALS)} ${this.of(THINGS)}`,
      materials: [this.of(MATERIALS), this.of(MATERIALS)],
      colour: this.of(COLOURS),
    }
  }
}

const THINGS =
  'anchor barrel basket bell bench bottle bucket candle chest drawer flagon kettle ladder lantern mirror spindle stool trunk'.split(' ')
const MATERIALS = 'brass copper driftwood horn linen oak pewter slate walnut wicker'.split(' ')
const COLOURS = 'amber black blue brown green grey red white yellow'.split(' ')
