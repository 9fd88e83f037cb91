import { defined } from '../invariant.js'
/** A half-open span of a source, in UTF-16 offsets of its text. */
export interface Span {
  readonly source: Source
  readonly start: number
  readonly end: number
}

/** A point for people: file, line and column, both from 1, columns in code points. */
export interface Place {
  readonly file: string
  readonly line: number
  readonly column: number
}

/** One linear part of a scalar's text: from `at` on, it is in the host file from `host` on. */
export interface Segment {
  readonly at: number
  readonly host: number
}

export type ScalarStyle = 'block' | 'folded' | 'plain' | 'single' | 'double'

/** The place of a text inside a file. */
export interface Embedding {
  readonly file: Source
  readonly segments: readonly Segment[]
  readonly style: ScalarStyle
}

const STEP = 1024

/**
 * A text with a name. A text inside a YAML file refers to the file, so every place is a place in the file that a person edits.
 *
 * @example
 * new Source('note', 'first\nsecond').place(6).line // => 2
 */
export class Source {
  private starts: number[] | undefined

  constructor(
    readonly name: string,
    readonly text: string,
    readonly host?: Embedding,
  ) {}

  /** The file that holds this text: itself, or the host's. */
  get file(): Source {
    return this.host ? this.host.file.file : this
  }

  span(start: number, end: number): Span {
    return { source: this, start, end }
  }

  /** The offset in the file for an offset in this text. */
  fileOffset(offset: number): number {
    if (!this.host) return offset
    const { segments, file } = this.host
    let low = 0
    let high = segments.length - 1
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if (defined(segments[middle]).at <= offset) low = middle
      else high = middle - 1
    }
    const segment = segments[low] ?? { at: 0, host: 0 }
    return file.fileOffset(segment.host + Math.max(0, offset - segment.at))
  }

  place(offset: number): Place {
    const file = this.file
    const position = Math.min(this.fileOffset(offset), file.text.length)
    const starts = file.lineStarts()
    let low = 0
    let high = starts.length - 1
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if (defined(starts[middle]) <= position) low = middle
      else high = middle - 1
    }
    return { file: file.name, line: low + 1, column: file.columnOf(defined(starts[low]), position) }
  }

  /** The number of code points before each step of the text: a long line of problems would be counted again for each. */
  private counted: number[] | undefined

  private columnOf(line: number, index: number): number {
    return index - line < STEP ? codePoints(this.text.slice(line, index)) + 1 : this.pointsBefore(index) - this.pointsBefore(line) + 1
  }

  private pointsBefore(index: number): number {
    if (!this.counted) {
      this.counted = [0]
      for (let from = 0; from < this.text.length; from += STEP)
        this.counted.push(defined(this.counted.at(-1)) + codePoints(this.text.slice(from, from + STEP)))
    }
    const step = Math.floor(index / STEP)
    return defined(this.counted[step]) + codePoints(this.text.slice(step * STEP, index))
  }

  /** Offsets at which the lines begin; `\n`, `\r\n` and `\r` end a line. */
  lineStarts(): readonly number[] {
    if (!this.starts) {
      this.starts = [0]
      const ends = /\r\n|\r|\n/g
      while (ends.exec(this.text)) this.starts.push(ends.lastIndex)
    }
    return this.starts
  }
}

/** The number of code points in a text: what a person counts as characters, closely enough for columns. */
export function codePoints(text: string): number {
  let count = 0
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i)
    if (unit < 0xdc00 || unit > 0xdfff) count++
  }
  return count
}
