import { foldSigns } from '../fold.js'
import { typedValue } from '../passages.js'
import type { PassageStretch, Stretch } from '../shape.js'

/** What a line says for each passage. */
export interface MatchedLine {
  readonly passages: ReadonlyMap<string, string>
  /** Whether it is in the form sign for sign. */
  readonly exact: boolean
}

/** A line in the form of a row, or undefined. Passages that have a type are first looked for where they hold one. */
export function matchLine(stretches: readonly Stretch[], line: string): MatchedLine | undefined {
  for (const exact of [true, false]) {
    for (const typed of [true, false]) {
      const match = new LineMatch(stretches, line, exact, typed)
      const passages = match.run()
      if (passages) return { passages, exact }
      // A line that kept one way busy to its end is not worth another.
      if (match.exhausted) return undefined
    }
  }
  return undefined
}

/** Numbers and dates are short: longer texts are not looked into. */
const LONGEST_TYPED = 60

function holds(type: 'integer' | 'number' | 'date', text: string): boolean {
  return text.length <= LONGEST_TYPED && typedValue(type, text) !== undefined
}

/** Steps that one line is worth: a hostile one ends here. */
const MOST_STEPS = 200_000

/** Goes through a line by its stretches, passages as short as what stands behind them allows. A way that failed is not gone again. */
class LineMatch {
  private readonly found = new Map<string, string>()
  private readonly failed = new Set<number>()
  private readonly given: string
  private readonly wanted: readonly string[]
  private steps = 0

  constructor(
    private readonly stretches: readonly Stretch[],
    private readonly line: string,
    private readonly exact: boolean,
    private readonly typed: boolean,
  ) {
    const fold = exact ? (text: string) => text : foldSigns
    this.given = fold(line)
    this.wanted = stretches.map((one, i) => fold(i === stretches.length - 1 && one.kind !== 'passage' ? one.text.trimEnd() : one.text))
  }

  get exhausted(): boolean {
    return this.steps > MOST_STEPS
  }

  run(): Map<string, string> | undefined {
    return this.from(0, 0) ? this.found : undefined
  }

  private from(index: number, at: number): boolean {
    const stretch = this.stretches[index]
    if (!stretch) return this.line.slice(at).trim() === ''
    const key = index * (this.line.length + 1) + at
    if (this.failed.has(key) || ++this.steps > MOST_STEPS) return false
    const through = stretch.kind === 'passage' ? this.passage(stretch, index, at) : this.fixed(index, at)
    if (!through) this.failed.add(key)
    return through
  }

  private fixed(index: number, at: number): boolean {
    const end = this.fixedEnd(index, at)
    return end >= 0 && this.from(index + 1, end)
  }

  private passage(stretch: PassageStretch, index: number, at: number): boolean {
    const { line } = this
    const next = this.stretches[index + 1]
    for (let end = next ? at + 1 : line.length; end <= line.length && !this.exhausted; end++) {
      if (next && next.kind !== 'passage') {
        end = this.nextFixed(index + 1, end)
        if (end < 0) return false
      }
      const text = line.slice(at, end).trim()
      const fits = text !== '' && (!this.typed || stretch.type === 'text' || holds(stretch.type, text))
      if (fits && this.from(index + 1, end)) {
        this.found.set(stretch.name, text)
        return true
      }
    }
    return false
  }

  /** Where fixed text stands next, from `from` on, or -1: remembered, or every try would look through the rest of the line. */
  private nextFixed(index: number, from: number): number {
    const known = this.next.get(index)
    if (known && from >= known.from && (known.at < 0 || from <= known.at)) return known.at
    const at = this.search(index, from)
    this.next.set(index, { from, at })
    return at
  }

  private readonly next = new Map<number, { readonly from: number; readonly at: number }>()

  private search(index: number, from: number): number {
    if (++this.steps > MOST_STEPS) return -1
    if (this.exact) return this.given.indexOf(this.wanted[index]!, from)
    for (let at = from; at <= this.given.length && this.steps <= MOST_STEPS; at++) if (this.fixedEnd(index, at) >= 0) return at
    return -1
  }

  /** Where fixed text that begins at `at` ends, or -1. Loosely, a blank may be missing, or be several. */
  private fixedEnd(index: number, at: number): number {
    const { given } = this
    const wanted = this.wanted[index]!
    if (this.exact) return given.startsWith(wanted, at) ? at + wanted.length : -1
    if (++this.steps > MOST_STEPS) return -1
    let place = at
    for (let i = 0; i < wanted.length; i++) {
      if (i > 0 || wanted[i] === ' ') while (given[place] === ' ') place++
      if (wanted[i] === ' ') continue
      if (given[place] !== wanted[i]) return -1
      place++
    }
    return place
  }
}
