import type { RenderedTurn } from './render.js'
import type { Trace } from './trace.js'
import { findTags, type TagForm } from '../fences/tags.js'
import type { TextSegment } from '../fences/skeleton.js'
import { invariant, defined } from '../invariant.js'

/** A form that is broken leaves another one behind at most a few times: fixed text and a value would have to be interleaved on purpose. */
const MOST_ROUNDS = 10

/**
 * A turn in which no value contains a form of a fence's tag (language §8). Only characters that come from values are changed: the fences' own
 * tags are known by their origin, and what the author wrote stays. The turn has a trace.
 *
 * @throws Error where a form is left: then nothing is sent.
 */
export function defuse(turn: RenderedTurn, tags: readonly string[]): RenderedTurn {
  let { text, trace } = turn
  invariant(trace !== undefined, 'a turn is defused without knowing where its text comes from')
  for (let round = 0; ; round++) {
    const own = ownTags(trace)
    const untrusted = valueSegments(trace)
    const forms = findTags(text, tags, own).filter(({ core }) => meets(untrusted, core))
    if (forms.length === 0) break
    invariant(round < MOST_ROUNDS, 'a value goes on to imitate the tag of a fence, however often it is changed')
    ;({ text, trace } = edited(
      text,
      trace,
      forms.flatMap((form) => editsFor(form, untrusted)),
    ))
  }
  checkFences(text, trace, tags)
  return { ...turn, text, trace }
}

/** A text that is untrusted as a whole, such as an attached document. */
export function defuseText(text: string, tags: readonly string[]): string {
  let out = ''
  let position = 0
  for (const { opening, closing } of findTags(text, tags)) {
    out += `${text.slice(position, opening.start)}(`
    position = opening.end
    if (closing) {
      out += `${text.slice(position, closing.start)})`
      position = closing.end
    }
  }
  return out + text.slice(position)
}

/** The replacement of a span. */
interface Edit extends TextSegment {
  readonly text: string
}

/** Brackets become `(` and `)` as far as a value wrote them. Where the opening bracket is fixed text, `(` is put before the value's part. */
function editsFor({ core, opening, closing }: TagForm, values: readonly TextSegment[]): Edit[] {
  const parts = within(values, opening)
  const [first] = parts.length > 0 ? parts : within(values, core)
  const start: Edit[] =
    parts.length > 0
      ? parts.map((part, i) => ({ ...part, text: i === 0 ? '(' : '' }))
      : [{ start: defined(first).start, end: defined(first).start, text: '(' }]
  const end = closing ? within(values, closing).map((part, i) => ({ ...part, text: i === 0 ? ')' : '' })) : []
  return [...start, ...end]
}

export function edited(text: string, trace: Trace, edits: readonly Edit[]): { text: string; trace: Trace } {
  let out = ''
  let position = 0
  const shifts: { at: number; by: number }[] = []
  let shift = 0
  for (const { start, end, text: by } of edits) {
    out += text.slice(position, start) + by
    position = end
    shift += by.length - (end - start)
    shifts.push({ at: start, by: shift })
  }
  out += text.slice(position)
  let next = 0
  let by = 0
  const moved = trace.moved((end) => {
    for (let shift = shifts[next]; shift && shift.at < end; shift = shifts[++next]) by = shift.by
    return Math.min(end + by, out.length)
  })
  return { text: out, trace: moved }
}

/** The tags that the fences wrote. */
function ownTags({ ends, sources }: Trace): TextSegment[] {
  return ends.flatMap((end, i) => (defined(sources[i]).tag ? [{ start: i === 0 ? 0 : defined(ends[i - 1]), end }] : []))
}

/** What comes from values, neighbours joined. */
export function valueSegments({ ends, sources }: Trace): TextSegment[] {
  const segments: { start: number; end: number }[] = []
  let start = 0
  ends.forEach((end, i) => {
    const last = segments.at(-1)
    if (defined(sources[i]).fromValue) {
      if (last?.end === start) last.end = end
      else segments.push({ start, end })
    }
    start = end
  })
  return segments
}

/** The parts of a span that overlap others, which are sorted. */
function within(others: readonly TextSegment[], { start, end }: TextSegment): TextSegment[] {
  const segments: TextSegment[] = []
  for (let i = firstEndingAfter(others, start); i < others.length && defined(others[i]).start < end; i++)
    segments.push({ start: Math.max(start, defined(others[i]).start), end: Math.min(end, defined(others[i]).end) })
  return segments
}

function meets(others: readonly TextSegment[], { start, end }: TextSegment): boolean {
  const other = others[firstEndingAfter(others, start)]
  return other !== undefined && other.start < end
}

function firstEndingAfter(segments: readonly TextSegment[], position: number): number {
  let low = 0
  let high = segments.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (defined(segments[middle]).end <= position) low = middle + 1
    else high = middle
  }
  return low
}

/** The invariant of a turn that is sent: each fence's tag is as it was written, on a line that no value shares, and no value contains one. */
export function checkFences(text: string, trace: Trace, tags: readonly string[]): void {
  const values = valueSegments(trace)
  for (const { start, end } of ownTags(trace)) {
    const tag = /^<\/?(.*)>$/.exec(text.slice(start, end))?.[1]
    invariant(tag !== undefined && tags.includes(tag), 'the tag of a fence was changed')
    const line = { start: text.lastIndexOf('\n', start - 1) + 1, end: text.indexOf('\n', end) }
    invariant(!meets(values, { ...line, end: line.end < 0 ? text.length : line.end }), 'a value stands on the line of a fence')
  }
  // Where the value ends in the middle of a name, the letter behind it stands for the rest.
  for (const { start, end } of values)
    invariant(findTags(`${text.slice(start, end)}x`, tags).length === 0, 'a value holds the tag of a fence')
}
