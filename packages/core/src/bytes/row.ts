import { defined } from '../invariant.js'

/** What the bytes of a cell are made of. None of these: it is copied as it stands. */
export const CONTROL = 1
/** It could begin a form of a fence's tag. */
export const SUSPECT = 2
/** It is escaped in JSON. */
export const ESCAPED = 4
/** It is part of a character beyond ASCII. */
export const BEYOND = 8
/** It needs more than a copy, whatever the cell is: the row is read as values. */
export const ODD = 16
/** It separates cells. */
export const DELIMITER = 32

/** How a cell stands in its table: its text as it is. */
export const TEXT = 0
/** Its text with each quote twice. */
export const DOUBLED = 1
/** A value of JSON that is no text: a number, a list, true or false. */
export const TYPED = 2

const [TAB, FEED, QUOTE, BACKSLASH] = [9, 10, 34, 92]
const [LETTER_N, LETTER_T] = [110, 116]

/** The kinds of all bytes, for a table whose cells this character separates; undefined for lines of JSON. */
export function kindsOf(delimiter: string | undefined): Uint8Array {
  const kinds = new Uint8Array(256)
  kinds.fill(ODD, 0, 32)
  kinds.fill(BEYOND, 128)
  kinds[TAB] = kinds[FEED] = CONTROL
  kinds[QUOTE] = ESCAPED
  kinds[BACKSLASH] = ESCAPED | SUSPECT
  for (const character of '<&%=') kinds[character.charCodeAt(0)] = SUSPECT
  if (delimiter === undefined) return kinds
  const place = delimiter.charCodeAt(0)
  kinds[place] = defined(kinds[place]) | DELIMITER
  return kinds
}

/** The most cells of a row that is read as bytes. */
export const MOST_CELLS = 1024

/** What is known of a cell with certain bytes: whether its column takes it, and what slots write of it. */
export interface KnownCell {
  readonly fits: boolean
  readonly written: (Uint8Array | undefined)[]
}

/** Gives a larger place for the bytes that are written, with what was written before. */
export type Grow = (least: number) => Uint8Array

/**
 * A row of a table as its bytes: where its cells lie, what they are made of, and where its line is written. One object serves all rows, and its
 * fields are plain memory: a row that made objects would cost more than its text.
 */
export class ByteRow {
  source: Uint8Array = NOTHING
  /** The source as a text, with one character for each byte; without what was written behind it. */
  characters = ''
  /** Where texts are written whose escapes were resolved: behind the last row of the source. */
  spare = 0
  /** Where each cell begins and ends in the source. */
  readonly starts = new Int32Array(MOST_CELLS)
  readonly ends = new Int32Array(MOST_CELLS)
  /** The kinds of bytes in each cell, joined. */
  readonly kinds = new Uint8Array(MOST_CELLS)
  /** How it stands in the table: `TEXT`, `DOUBLED` or `TYPED`. */
  readonly forms = new Uint8Array(MOST_CELLS)
  /** The numbers of number columns, and whether one is written as it stands in the cell. */
  readonly numbers = new Float64Array(MOST_CELLS)
  readonly isDigits = new Uint8Array(MOST_CELLS)
  readonly known: (KnownCell | undefined)[] = new Array<KnownCell | undefined>(MOST_CELLS).fill(undefined)
  cells = 0
  /** Its number in the table, from 1. */
  number = 0

  out: Uint8Array = NOTHING
  /** Where the next byte is written. */
  at = 0
  grow: Grow = () => this.out
  /** Bytes that may follow without being asked for. */
  room = 0
  /** Where the line under way began, and how many fixed spaces it has got since. */
  lineStart = 0
  blanks = 0
  /** Whether the row has to be rendered as values after all. */
  isOdd = false

  isEmpty(column: number): boolean {
    return this.starts[column] === this.ends[column]
  }

  /** Writes bytes that stand fixed. */
  fixed(bytes: Uint8Array): void {
    this.at = copyTo(this.out, this.at, bytes)
  }

  /** Writes a text of one character for each byte, of any length. */
  text(text: string): void {
    this.atLeast(text.length)
    const { out } = this
    let { at } = this
    for (let i = 0; i < text.length; i++) out[at++] = text.charCodeAt(i)
    this.at = at
  }

  /** Makes room for bytes that were not counted before. */
  atLeast(more: number): void {
    const least = this.at + more + this.room
    if (least > this.out.length) this.out = this.grow(least)
  }

  /** Writes a cell as it stands within a JSON string. */
  cell(column: number): void {
    this.part(column, defined(this.starts[column]), defined(this.ends[column]))
  }

  /** Writes a part of a cell. */
  part(column: number, from: number, end: number): void {
    const { source, out } = this
    let { at } = this
    if ((defined(this.kinds[column]) & (CONTROL | ESCAPED)) === 0) for (let i = from; i < end; i++) out[at++] = defined(source[i])
    else {
      const isDoubled = this.forms[column] === DOUBLED
      for (let i = from; i < end; i++) {
        const byte = defined(source[i])
        if (byte !== QUOTE && byte !== BACKSLASH && byte !== FEED && byte !== TAB) out[at++] = byte
        else {
          out[at++] = BACKSLASH
          out[at++] = byte === FEED ? LETTER_N : byte === TAB ? LETTER_T : byte
          if (byte === QUOTE && isDoubled) i++
        }
      }
    }
    this.at = at
  }
}

const NOTHING = new Uint8Array(0)

/** The bytes of a text of one character for each. */
export function bytesOf(text: string): Uint8Array {
  return Uint8Array.from(text, (character) => character.charCodeAt(0))
}

/** Whether bytes are at a place of a source. */
export function isAt(source: Uint8Array, at: number, bytes: Uint8Array): boolean {
  for (let i = 0; i < bytes.length; i++) if (source[at + i] !== bytes[i]) return false
  return true
}

/** Fewer bytes are copied one by one. */
const LEAST_BLOCK = 24

/** Copies bytes, and gives the place after them. */
export function copyTo(out: Uint8Array, at: number, bytes: Uint8Array): number {
  const { length } = bytes
  if (length < LEAST_BLOCK) for (let i = 0; i < length; i++) out[at + i] = defined(bytes[i])
  else out.set(bytes, at)
  return at + length
}
