import { defined } from '../invariant.js'
import { jsonBytes, utf8Bytes } from '../render/json-bytes.js'
import { bytesOf, isAt, kindsOf, MOST_CELLS, TEXT, TYPED, type ByteRow } from './row.js'

const [TAB, FEED, RETURN, SPACE, QUOTE, MINUS, FULL_STOP, SLASH, DIGIT_0, DIGIT_9] = [9, 10, 13, 32, 34, 45, 46, 47, 48, 57]
const [COMMA, COLON, BACKSLASH, OPEN_LIST, CLOSE_LIST, OPEN_RECORD, CLOSE_RECORD] = [44, 58, 92, 91, 93, 123, 125]
const WORDS = ['true', 'false', 'null'].map(bytesOf)
const [LETTER_N, LETTER_T, LETTER_U] = [110, 116, 117]
const FAILED = -1

/** Cuts lines of JSON into cells: each is a record whose keys are headings. */
export class JsonCutter {
  private readonly kinds = kindsOf(undefined)
  private readonly columns = new Map<string, number>()
  /** The keys of the line before, in their order, and their columns: most lines have the same. */
  private readonly keys: Uint8Array[]
  private readonly order: number[]
  /** The number of the last line that had each column. */
  private readonly filled: Float64Array
  private line = 0

  constructor(headings: readonly string[]) {
    headings.forEach((heading, column) => this.columns.set(jsonBytes(heading), column))
    this.keys = headings.map((heading) => keyBytes(jsonBytes(heading)))
    this.order = headings.map((_, column) => column)
    this.filled = new Float64Array(headings.length)
  }

  /**
   * Cuts a whole line. Texts with escapes are written, as they are meant, behind the source: there is room for a line.
   *
   * @returns false for a line that is read the other way: it is no record, not as JSON has to be, or unusual
   */
  cut(row: ByteRow, start: number, end: number): boolean {
    const { source } = row
    const { length } = this.filled
    this.line++
    row.spare = row.characters.length
    let at = afterSpaces(source, start)
    if (source[at] !== OPEN_RECORD || length > MOST_CELLS) return false
    let count = 0
    do {
      at = this.afterKey(row, afterSpaces(source, at + 1), end, count)
      if (at === FAILED) return false
      const column = defined(this.order[count])
      if (this.filled[column] === this.line) return false
      this.filled[column] = this.line
      at = afterSpaces(source, at)
      if (at >= end) return false
      at = this.value(row, column, at, end)
      if (at === FAILED) return false
      at = afterSpaces(source, at)
      count++
    } while (source[at] === COMMA)
    if (source[at] !== CLOSE_RECORD || at >= end || afterSpaces(source, at + 1) < end) return false
    if (count < length) for (let column = 0; column < length; column++) if (this.filled[column] !== this.line) leaveEmpty(row, column)
    row.cells = length
    return true
  }

  /** The place after a key and its colon. */
  private afterKey({ source, characters }: ByteRow, at: number, end: number, position: number): number {
    const key = this.keys[position]
    if (key && isAt(source, at, key)) return at + key.length
    const close = source[at] === QUOTE ? characters.indexOf('"', at + 1) : FAILED
    if (close < 0 || close >= end) return FAILED
    const name = characters.slice(at + 1, close)
    const column = this.columns.get(name)
    if (column === undefined) return FAILED
    if (column !== this.order[position]) {
      this.keys[position] = keyBytes(name)
      this.order[position] = column
    }
    const colon = afterSpaces(source, close + 1)
    return source[colon] === COLON ? colon + 1 : FAILED
  }

  /** The place after a value. */
  private value(row: ByteRow, column: number, at: number, end: number): number {
    const { source } = row
    const first = defined(source[at])
    if (first === QUOTE) return this.text(row, column, at + 1, end)
    if (first === LETTER_N) {
      leaveEmpty(row, column)
      return wordEnd(source, at)
    }
    row.kinds[column] = 0
    row.forms[column] = TYPED
    const after = first === OPEN_LIST ? this.list(row, column, at, end) : isNumeral(first) ? numberEnd(source, at) : wordEnd(source, at)
    row.starts[column] = at
    row.ends[column] = after
    return after
  }

  /** A list of texts, numbers and words, not of records or lists. */
  private list(row: ByteRow, column: number, from: number, end: number): number {
    const { source } = row
    let joined = 0
    let at = afterSpaces(source, from + 1)
    if (source[at] === CLOSE_LIST) return at + 1
    while (at < end) {
      const first = defined(source[at])
      if (first === QUOTE) {
        const close = textEnd(source, at + 1, end)
        if (close === FAILED) return FAILED
        for (let i = at; i < close; i++) joined |= defined(this.kinds[defined(source[i])])
        at = close
      } else {
        at = isNumeral(first) ? numberEnd(source, at) : wordEnd(source, at)
        if (at === FAILED) return FAILED
      }
      at = afterSpaces(source, at)
      if (source[at] === CLOSE_LIST) {
        row.kinds[column] = joined
        return at + 1
      }
      if (source[at] !== COMMA) return FAILED
      at = afterSpaces(source, at + 1)
    }
    return FAILED
  }

  /** A text, from behind its quote. */
  private text(row: ByteRow, column: number, from: number, end: number): number {
    const { source } = row
    const { kinds } = this
    let joined = 0
    let i = from
    row.forms[column] = TEXT
    for (; i < end; i++) {
      const byte = defined(source[i])
      const kind = defined(kinds[byte])
      if (kind === 0) continue
      if (byte === QUOTE) {
        row.starts[column] = from
        row.ends[column] = i
        row.kinds[column] = joined
        return i + 1
      }
      if (byte === BACKSLASH) return this.escaped(row, column, { from, escape: i, end, joined })
      if (byte < SPACE) return FAILED
      joined |= kind
    }
    return FAILED
  }

  /** A text with escapes: it is written behind the source as it is meant. */
  private escaped(row: ByteRow, column: number, { from, escape, end, joined }: EscapedText): number {
    const { source } = row
    const { kinds } = this
    const start = row.spare
    let out = start
    for (let i = from; i < escape; i++) source[out++] = defined(source[i])
    for (let i = escape; i < end; i++) {
      let byte = defined(source[i])
      if (byte === QUOTE) {
        row.starts[column] = start
        row.ends[column] = row.spare = out
        row.kinds[column] = joined
        return i + 1
      }
      if (byte < SPACE) return FAILED
      if (byte === BACKSLASH) {
        byte = defined(source[++i])
        if (byte === LETTER_N) byte = FEED
        else if (byte === LETTER_T) byte = TAB
        else if (byte === LETTER_U) {
          const point = pointAt(source, i + 1, end)
          if (point === FAILED) return FAILED
          i += point > 0xffff ? 10 : 4
          for (const part of utf8Bytes(String.fromCodePoint(point))) {
            source[out++] = part.charCodeAt(0)
            joined |= defined(kinds[part.charCodeAt(0)])
          }
          continue
        } else if (byte !== QUOTE && byte !== BACKSLASH && byte !== SLASH) return FAILED
      }
      joined |= defined(kinds[byte])
      source[out++] = byte
    }
    return FAILED
  }
}

interface EscapedText {
  readonly from: number
  /** Where its first escape is. */
  readonly escape: number
  readonly end: number
  /** The kinds of the bytes before it. */
  readonly joined: number
}

/** A key as most programs write it. */
function keyBytes(name: string): Uint8Array {
  return bytesOf(`"${name}":`)
}

function leaveEmpty(row: ByteRow, column: number): void {
  row.starts[column] = row.ends[column] = 0
  row.kinds[column] = 0
  row.forms[column] = TEXT
}

/** JSON's spaces. A line has no line feed. */
function afterSpaces(source: Uint8Array, from: number): number {
  let at = from
  for (let byte = source[at]; byte === SPACE || byte === TAB || byte === RETURN; byte = source[at]) at++
  return at
}

function isDigit(byte = 0): boolean {
  return byte >= DIGIT_0 && byte <= DIGIT_9
}

function isNumeral(byte: number): boolean {
  return byte === MINUS || isDigit(byte)
}

function wordEnd(source: Uint8Array, at: number): number {
  const word = WORDS.find((bytes) => isAt(source, at, bytes))
  return word ? at + word.length : FAILED
}

/** The end of a number without an exponent. */
function numberEnd(source: Uint8Array, from: number): number {
  let at = source[from] === MINUS ? from + 1 : from
  const first = at
  while (isDigit(source[at])) at++
  if (at === first || (source[first] === DIGIT_0 && at > first + 1)) return FAILED
  if (source[at] !== FULL_STOP) return at
  const point = at++
  while (isDigit(source[at])) at++
  return at > point + 1 ? at : FAILED
}

/** The end of a text whose escapes stay as they are, from behind its quote. */
function textEnd(source: Uint8Array, from: number, end: number): number {
  for (let i = from; i < end; i++) {
    const byte = defined(source[i])
    if (byte === QUOTE) return i + 1
    if (byte < SPACE) return FAILED
    // The escapes that every text may have.
    if (byte === BACKSLASH && source[++i] !== QUOTE && source[i] !== BACKSLASH) return FAILED
  }
  return FAILED
}

/** The character that four hexadecimal digits stand for, or eight in two escapes. */
function pointAt(source: Uint8Array, at: number, end: number): number {
  const first = unitAt(source, at, end)
  if (first < 0xd800 || first > 0xdfff) return first
  if (first > 0xdbff || source[at + 4] !== BACKSLASH || source[at + 5] !== LETTER_U) return FAILED
  const second = unitAt(source, at + 6, end)
  return second >= 0xdc00 && second <= 0xdfff ? 0x10000 + ((first - 0xd800) << 10) + second - 0xdc00 : FAILED
}

function unitAt(source: Uint8Array, at: number, end: number): number {
  if (at + 4 > end) return FAILED
  let unit = 0
  for (let i = at; i < at + 4; i++) {
    const digit = parseInt(String.fromCharCode(defined(source[i])), 16)
    if (Number.isNaN(digit)) return FAILED
    unit = unit * 16 + digit
  }
  return unit
}
