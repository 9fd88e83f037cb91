import { defined } from '../../invariant.js'
import { foldSigns } from '../fold.js'
import { typedValue } from '../passages.js'
import type { PassageSegment, TextSegment } from '../shape.js'

/** The text of a line for each passage. */
export interface MatchedLine {
  readonly passages: ReadonlyMap<string, string>
  /** Whether it is in the form character for character. */
  readonly exact: boolean
}

/** A line in the form of a row, or undefined. Passages that have a type are first looked for where they hold one. */
export function matchLine(segments: readonly TextSegment[], line: string): MatchedLine | undefined {
  for (const exact of [true, false]) {
    for (const typed of [true, false]) {
      const match = new LineMatch(segments, line, exact, typed)
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

/** Steps that one line is worth, for each of its characters: more would be a way that is gone again and again. */
const STEPS_A_CHARACTER = 30

/**
 * Matches a line span by span, passages as short as the span after them allows. A failed match is not repeated: neither
 * from the same place nor, for a passage that takes any text, from a later one, which has fewer places to end at.
 */
class LineMatch {
  private readonly texts = new Map<string, string>()
  /** Failed matches, by span and place: created with the first. */
  private failed: Uint8Array | undefined
  private readonly failedFrom: number[]
  private readonly folded: string
  private readonly wanted: readonly string[]
  private readonly most: number
  private readonly textStart: number
  private readonly textEnd: number
  private steps = 0

  constructor(
    private readonly segments: readonly TextSegment[],
    private readonly line: string,
    private readonly exact: boolean,
    private readonly typed: boolean,
  ) {
    const fold = exact ? (text: string) => text : foldSigns
    this.folded = fold(line)
    this.wanted = segments.map((segment, i) =>
      fold(i === segments.length - 1 && segment.kind !== 'passage' ? segment.text.trimEnd() : segment.text),
    )
    this.failedFrom = segments.map(() => Infinity)
    this.most = 10_000 + STEPS_A_CHARACTER * line.length
    this.textEnd = line.trimEnd().length
    this.textStart = line.length - line.trimStart().length
  }

  get exhausted(): boolean {
    return this.steps > this.most
  }

  run(): Map<string, string> | undefined {
    return this.from(0, 0) ? this.texts : undefined
  }

  private from(index: number, position: number): boolean {
    const segment = this.segments[index]
    if (!segment) return position >= this.textEnd
    const key = index * (this.line.length + 1) + position
    if (this.failed?.[key] === 1 || ++this.steps > this.most) return false
    const through = segment.kind === 'passage' ? this.passage(segment, index, position) : this.fixed(index, position)
    if (!through) (this.failed ??= new Uint8Array(this.segments.length * (this.line.length + 1)))[key] = 1
    return through
  }

  private fixed(index: number, offset: number): boolean {
    const end = this.fixedEnd(index, offset)
    return end >= 0 && this.from(index + 1, end)
  }

  private passage(segment: PassageSegment, index: number, start: number): boolean {
    const { line } = this
    const takesText = !this.typed || segment.type === 'text'
    if (takesText && start >= defined(this.failedFrom[index])) return false
    const next = this.segments[index + 1]
    const last = takesText || !next ? line.length : Math.min(line.length, this.firstText(start) + LONGEST_TYPED + 1)
    for (let end = next ? start + 1 : line.length; end <= last && !this.exhausted; end++) {
      if (next && next.kind !== 'passage') {
        end = this.nextFixed(index + 1, end)
        if (end < 0 || end > last) break
      }
      this.steps++
      if (this.fits(segment, start, end) && this.from(index + 1, end)) {
        this.texts.set(segment.name, line.slice(start, end).trim())
        return true
      }
    }
    if (takesText) this.failedFrom[index] = Math.min(defined(this.failedFrom[index]), start)
    return false
  }

  /** Whether the passage may be what stands there: something, and of its type where that counts. */
  private fits({ type }: PassageSegment, from: number, end: number): boolean {
    const start = this.firstText(from)
    if (start >= end) return false
    if (!this.typed || type === 'text') return true
    return end - start <= 2 * LONGEST_TYPED && holds(type, this.line.slice(start, end).trim())
  }

  /** The first place from `start` on that is no space. Spaces are gone over once: where the next text begins is remembered. */
  private firstText(start: number): number {
    if (start <= this.textStart) return this.textStart
    if (start >= this.spaceFrom && start <= this.spaceEnd) return this.spaceEnd
    let end = start
    while (end < this.line.length && /\s/.test(defined(this.line[end]))) end++
    this.spaceFrom = start
    this.spaceEnd = end
    this.steps += end - start
    return end
  }

  private spaceFrom = -1
  private spaceEnd = -1

  /** Where fixed text stands next, from `from` on, or -1: remembered, or every try would look through the rest of the line. */
  private nextFixed(index: number, from: number): number {
    const known = this.next.get(index)
    if (known && from >= known.from && (known.at < 0 || from <= known.at)) return known.at
    const start = this.search(index, from)
    this.next.set(index, { from, at: start })
    return start
  }

  private readonly next = new Map<number, { readonly from: number; readonly at: number }>()

  private search(index: number, from: number): number {
    if (++this.steps > this.most) return -1
    if (this.exact) return this.folded.indexOf(defined(this.wanted[index]), from)
    for (let start = from; start <= this.folded.length && this.steps <= this.most; start++)
      if (this.fixedEnd(index, start) >= 0) return start
    return -1
  }

  /** Where fixed text that begins at `at` ends, or -1. Loosely, a space may be missing, or be several. */
  private fixedEnd(index: number, start: number): number {
    const { folded: passed } = this
    const wanted = defined(this.wanted[index])
    if (this.exact) return passed.startsWith(wanted, start) ? start + wanted.length : -1
    let place = start
    for (let i = 0; i < wanted.length; i++) {
      if (i > 0 || wanted[i] === ' ') while (passed[place] === ' ' && ++this.steps <= this.most) place++
      if (wanted[i] === ' ') continue
      if (++this.steps > this.most || passed[place] !== wanted[i]) return -1
      place++
    }
    return place
  }
}
