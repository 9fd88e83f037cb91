import type { Span } from '../source/source.js'

export type OriginKind = 'fixed' | 'value' | 'snippet' | 'persona' | 'example' | 'output' | 'made'

/** A use that led to a text: the snippet, persona, example set or output, and the directive that says so. */
export interface Via {
  readonly what: 'snippet' | 'persona' | 'example' | 'output'
  readonly name: string
  readonly span: Span
  readonly outer: Via | undefined
}

/** A step of a value's path: a key, or the place in a list that a loop was at. */
export type PathStep = string | { readonly loop: number }

/** Where a stretch of text comes from, as the compiler knows it; one object a place of the prompt, not a stretch. */
export interface Descent {
  readonly kind: OriginKind
  readonly span: Span
  readonly via: Via | undefined
  readonly path?: readonly PathStep[]
  readonly format?: string
  /** Signs that were handed in at rendering: only these can be an attempt to close a fence. */
  readonly given: boolean
}

const NO_LOOPS: readonly number[] = []

/** Keeps, for a turn's text, where each stretch ends, what it came from, and where the loops stood. */
export class Trace {
  readonly ends: number[] = []
  readonly sources: Descent[] = []
  /** Filled only once a loop has begun: most turns have none. */
  private loops: (readonly number[])[] | undefined
  private current = NO_LOOPS

  add(end: number, source: Descent): void {
    const { length } = this.ends
    if (end === (length === 0 ? 0 : this.ends[length - 1])) return
    this.ends.push(end)
    this.sources.push(source)
    if (this.loops) this.loops.push(this.current)
  }

  /** The loops moved on. */
  at(positions: readonly number[]): void {
    this.current = [...positions]
    this.loops ??= this.ends.map(() => NO_LOOPS)
  }

  /** Where the loops stood when a stretch was written. */
  loopsOf(index: number): readonly number[] {
    return this.loops?.[index] ?? NO_LOOPS
  }

  /** The text was cut back to `length`. */
  cut(length: number): void {
    while (this.ends.length > 0 && (this.ends.at(-2) ?? 0) >= length) this.drop()
    if ((this.ends.at(-1) ?? 0) > length) this.ends[this.ends.length - 1] = length
    if (length === 0) while (this.ends.length > 0) this.drop()
  }

  private drop(): void {
    this.ends.pop()
    this.sources.pop()
    this.loops?.pop()
  }

  /** The same stretches with their ends moved; those that are left with nothing go. */
  moved(end: (end: number, index: number) => number): Trace {
    const trace = new Trace()
    this.ends.forEach((old, i) => trace.put(Math.max(end(old, i), trace.ends.at(-1) ?? 0), this.sources[i]!, this.loopsOf(i)))
    return trace
  }

  /** `made` signs were put before the signs at `places` (ascending, in the old text), `length` of them each. */
  insert(places: readonly { readonly at: number; readonly length: number }[], source: Descent): void {
    const first = places[0]
    if (!first) return
    let index = this.ends.findIndex((end) => end > first.at)
    if (index < 0) index = this.ends.length
    const tail = { ends: this.ends.splice(index), sources: this.sources.splice(index), loops: this.loops?.splice(index) }
    let shift = 0
    let next = 0
    let start = this.ends.at(-1) ?? 0
    tail.ends.forEach((end, i) => {
      const loops = tail.loops?.[i] ?? NO_LOOPS
      for (let place = places[next]; place && place.at < end; place = places[++next]) {
        if (place.at + shift > start) this.put(place.at + shift, tail.sources[i]!, loops)
        shift += place.length
        start = place.at + shift
        this.put(start, source, loops)
      }
      this.put(end + shift, tail.sources[i]!, loops)
      start = end + shift
    })
  }

  private put(end: number, source: Descent, loops: readonly number[]): void {
    if (end === (this.ends.at(-1) ?? 0)) return
    this.ends.push(end)
    this.sources.push(source)
    if (loops !== NO_LOOPS) this.loops ??= this.ends.slice(1).map(() => NO_LOOPS)
    this.loops?.push(loops)
  }
}
