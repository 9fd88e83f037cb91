import { defined } from '../invariant.js'
import type { Span } from '../source/source.js'

/** The kinds of sources that rendered text comes from. */
export type OriginKind = 'fixed' | 'value' | 'snippet' | 'persona' | 'example' | 'output' | 'made'

/** A use that led to a text: the snippet, persona, example set or output, and its directive. */
export interface Via {
  readonly what: 'snippet' | 'persona' | 'example' | 'output'
  readonly name: string
  readonly span: Span
  readonly outer: Via | undefined
}

/** A step of a value's path: a key, or the place in a list that a loop was at. */
export type PathStep = string | { readonly loop: number }

/** The origin of a span of text, as the compiler has it; one object for each place of the prompt, not for each span. */
export interface TextOrigin {
  readonly kind: OriginKind
  readonly span: Span
  readonly via: Via | undefined
  readonly path?: readonly PathStep[]
  readonly format?: string
  /** Characters of values: only these can be an attempt to close a fence. */
  readonly fromValue: boolean
  /** The tag of a fence, as the fence wrote it: nothing is looked for in it, and nothing changes it. */
  readonly tag?: boolean
}

const NO_LOOPS: readonly number[] = []

/**
 * Keeps, for a turn's text, where each span ends, its origin, and the positions of the loops. One trace is filled again and again: its
 * lists keep their capacity, since growing them again for every turn cost as much as filling them. `take` returns the content.
 */
export class Trace {
  private size: number
  private loops: (readonly number[])[] | undefined
  private current = NO_LOOPS

  constructor(
    readonly ends: number[] = [],
    readonly sources: TextOrigin[] = [],
  ) {
    this.size = ends.length
  }

  private get end(): number {
    return this.size === 0 ? 0 : defined(this.ends[this.size - 1])
  }

  add(end: number, source: TextOrigin): void {
    const { size } = this
    if (end === (size === 0 ? 0 : this.ends[size - 1])) return
    this.ends[size] = end
    this.sources[size] = source
    if (this.loops) this.loops[size] = this.current
    this.size = size + 1
  }

  /** The loops moved on. */
  at(positions: readonly number[]): void {
    this.current = [...positions]
    this.loops ??= Array.from({ length: this.size }, () => NO_LOOPS)
  }

  /** The positions of the loops when a span was written. */
  loopsOf(index: number): readonly number[] {
    return this.loops?.[index] ?? NO_LOOPS
  }

  /** The text was cut back to `length`. */
  cut(length: number): void {
    while (this.size > 0 && (this.size === 1 ? 0 : defined(this.ends[this.size - 2])) >= length) this.size--
    if (this.end > length) this.ends[this.size - 1] = length
  }

  /** A taken trace, cut back: its lists have exactly its spans. */
  shorten(length: number): void {
    this.cut(length)
    this.ends.length = this.size
    this.sources.length = this.size
  }

  /** Its content, as a trace of its own; this one is empty again. */
  take(): Trace {
    const taken = new Trace(this.ends.slice(0, this.size), this.sources.slice(0, this.size))
    taken.loops = this.loops
    this.size = 0
    this.loops = undefined
    this.current = NO_LOOPS
    return taken
  }

  /** The same spans with their ends moved; empty ones are removed. */
  moved(end: (end: number, index: number) => number): Trace {
    const trace = new Trace()
    for (let i = 0; i < this.size; i++)
      trace.put(Math.max(end(defined(this.ends[i]), i), trace.end), defined(this.sources[i]), this.loopsOf(i))
    return trace
  }

  /** `made` characters were put before the characters at `places` (ascending, in the old text), `length` of them each. */
  insert(places: readonly { readonly at: number; readonly length: number }[], source: TextOrigin): void {
    const [first] = places
    if (!first) return
    let index = 0
    while (index < this.size && defined(this.ends[index]) <= first.at) index++
    const tail = Array.from({ length: this.size - index }, (_, i) => ({
      end: defined(this.ends[index + i]),
      source: defined(this.sources[index + i]),
      loops: this.loopsOf(index + i),
    }))
    this.size = index
    let shift = 0
    let next = 0
    let start = this.end
    for (const { end, source: old, loops } of tail) {
      for (let place = places[next]; place && place.at < end; place = places[++next]) {
        if (place.at + shift > start) this.put(place.at + shift, old, loops)
        shift += place.length
        start = place.at + shift
        this.put(start, source, loops)
      }
      this.put(end + shift, old, loops)
      start = end + shift
    }
  }

  private put(end: number, source: TextOrigin, loops: readonly number[]): void {
    const { current } = this
    if (loops !== NO_LOOPS) this.at(loops)
    else this.current = NO_LOOPS
    this.add(end, source)
    this.current = current
  }
}
