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

/** Keeps, for a turn under way, where each stretch ends, what it came from, and where the loops stood. */
export class Trace {
  readonly ends: number[] = []
  readonly sources: Descent[] = []
  readonly loops: (readonly number[])[] = []
  private current: readonly number[] = []

  add(end: number, source: Descent): void {
    if (end === (this.ends.at(-1) ?? 0)) return
    this.ends.push(end)
    this.sources.push(source)
    this.loops.push(this.current)
  }

  /** The loops moved on. */
  at(positions: readonly number[]): void {
    this.current = [...positions]
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
    this.loops.pop()
  }

  /** `made` signs were put before the signs at `places` (ascending, in the old text), `length` of them each. */
  insert(places: readonly { readonly at: number; readonly length: number }[], source: Descent): void {
    const first = places[0]
    if (!first) return
    let index = this.ends.findIndex((end) => end > first.at)
    if (index < 0) index = this.ends.length
    const tail = { ends: this.ends.splice(index), sources: this.sources.splice(index), loops: this.loops.splice(index) }
    let shift = 0
    let next = 0
    let start = this.ends.at(-1) ?? 0
    tail.ends.forEach((end, i) => {
      for (let place = places[next]; place && place.at < end; place = places[++next]) {
        if (place.at + shift > start) this.put(place.at + shift, tail.sources[i]!, tail.loops[i]!)
        shift += place.length
        start = place.at + shift
        this.put(start, source, tail.loops[i]!)
      }
      this.put(end + shift, tail.sources[i]!, tail.loops[i]!)
      start = end + shift
    })
  }

  private put(end: number, source: Descent, loops: readonly number[]): void {
    if (end === (this.ends.at(-1) ?? 0)) return
    this.ends.push(end)
    this.sources.push(source)
    this.loops.push(loops)
  }
}
