import { defined } from '../invariant.js'
import { CLOSING, LETTERS, OPENING, SEVERAL, SLASHES } from './look-alikes.js'
import { joinBytes, LEADS, loneByte, referenceAt, type Reference } from './references.js'

/** A span of a text, half open. */
export interface TextSegment {
  readonly start: number
  readonly end: number
}

/** Replaces a span that was left out of a skeleton: no form crosses it. */
const EDGE_CODE = 0xffff

/** What disappears: format characters, marks, unassigned, private and half characters, and fillers. */
const INVISIBLE = /[\p{Cf}\p{Mn}\p{Me}\p{Co}\p{Cn}\p{Cs}\p{Default_Ignorable_Code_Point}\u115F\u1160\u3164\uFFA0\uFFFC\uFFFD]/u
const BLANK = /[\s\p{Z}\p{Cc}\u2800]/u

const LOOK_ALIKES = new Map<string, string>()
for (const [stands, ...others] of LETTERS.split(' ').map((group) => [...group]))
  for (const other of others) LOOK_ALIKES.set(other, defined(stands))
for (const [letter, ...several] of SEVERAL.split(' ').map((pair) => [...pair])) LOOK_ALIKES.set(defined(letter), several.join(''))
const BRACKETS = new Map<string, string>()
for (const character of OPENING) BRACKETS.set(character, '<')
for (const character of CLOSING) BRACKETS.set(character, '>')
for (const character of SLASHES) BRACKETS.set(character, '/')

/** The folding of a character before escapes are decoded: its code, several codes, or one of these two. */
const DROPPED = -1
const SPACE = -2
type Piece = number | readonly number[]

/** Compatibility forms become plain characters, so that escapes written in full-width letters are found. Case stays. */
function pieceOf(code: number): Piece {
  const character = String.fromCodePoint(code)
  if (isHalf(code)) return code
  if (BLANK.test(character)) return SPACE
  const bracket = BRACKETS.get(character)
  if (bracket !== undefined) return bracket.charCodeAt(0)
  if (INVISIBLE.test(character)) return DROPPED
  const plain = [...character.normalize('NFKD').replace(/[\p{M}\s]/gu, '')].map((text) => defined(text.codePointAt(0)))
  return plain.length === 1 ? defined(plain[0]) : plain.length === 0 ? DROPPED : plain
}

function isHalf(code: number): boolean {
  return code >= 0xd800 && code <= 0xdfff
}

/** What a character stands for in the skeleton: one or several characters, in lower case. */
function folded(code: number): string {
  if (isHalf(code)) return ''
  const plain = String.fromCodePoint(loneByte(code)).toLowerCase().normalize('NFKD').replace(/\p{M}/gu, '')
  return [...plain].map((text) => LOOK_ALIKES.get(text) ?? text).join('')
}

/** Answers of `pieceOf` and `folded` by code: a table for ASCII, and for the rest those that were asked for. */
class Known<T> {
  private readonly ascii: T[]
  private readonly others = new Map<number, T>()

  constructor(private readonly find: (code: number) => T) {
    this.ascii = Array.from({ length: 128 }, (_, code) => find(code))
  }

  set(code: number, value: T): void {
    this.others.set(code, value)
  }

  of(code: number): T {
    if (code < 128) return defined(this.ascii[code])
    let lookAlike = this.others.get(code)
    if (lookAlike === undefined) {
      lookAlike = this.find(code)
      if (this.others.size < MOST_KNOWN) this.others.set(code, lookAlike)
    }
    return lookAlike
  }
}
const MOST_KNOWN = 5000

const pieces = new Known<Piece>(pieceOf)
const folds = new Known<string>(folded)
folds.set(EDGE_CODE, '\uffff')
/** The same for ASCII, where a piece is one code. */
const ASCII_PIECES = Int32Array.from({ length: 128 }, (_, code) => pieceOf(code) as number)
const isLead = Uint8Array.from({ length: 128 }, (_, code) => Number(LEADS.includes(String.fromCharCode(code))))

/**
 * Folds a text. Escapes are decoded however often they are escaped themselves: the text is read from its end, so that what an escape stands
 * for can be part of the one before it, and each character is read a bounded number of times. The spans in `left` are left out, and
 * nothing is folded across it.
 */
export function fold(text: string, left: readonly TextSegment[] = []): Skeleton {
  const folding = new Skeleton(text.length)
  let hole = left.length - 1
  for (let position = text.length; position > 0;) {
    const out = hole < 0 ? undefined : left[hole]
    if (out && position <= out.end && position > out.start) {
      folding.edge(out)
      position = out.start
      hole--
      continue
    }
    let code = text.charCodeAt(position - 1)
    let size = 1
    if (code >= 0xdc00 && code < 0xe000 && position > 1) {
      const high = text.charCodeAt(position - 2)
      if (high >= 0xd800 && high < 0xdc00 && position - 2 >= (out?.end ?? 0)) {
        code = astral(high, code)
        size = 2
      }
    }
    if (code < 128) folding.pushAscii(code, position)
    else folding.push(code, position - size, position)
    position -= size
  }
  return folding
}

/**
 * A text as a reader takes it: brackets as `<` and `>`, slashes as `/`, letters small and plain, escapes decoded, spaces and invisible
 * characters gone. Its characters are counted from the end of the text, since folding begins there; each has the span of the
 * text that it stands for.
 */
export class Skeleton {
  private codes: Int32Array
  private starts: Int32Array
  private ends: Int32Array
  private gaps: Uint8Array
  private size = 0

  constructor(length: number) {
    const room = length + 16
    this.codes = new Int32Array(room)
    this.starts = new Int32Array(room)
    this.ends = new Int32Array(room)
    this.gaps = new Uint8Array(room)
  }

  private readonly ahead = (i: number): number => (i < this.size ? defined(this.codes[this.size - 1 - i]) : -1)

  /** Most characters: neither spaces nor beginnings of escapes. */
  pushAscii(code: number, end: number): void {
    const piece = defined(ASCII_PIECES[code])
    if (piece < 0 || isLead[piece] === 1) this.push(code, end - 1, end)
    else this.add(piece, end - 1, end)
  }

  /** Adds a character in front. While it begins an escape with what follows it, what the escape stands for takes their place. */
  push(code: number, start: number, end: number): void {
    for (let next = code, stop = end; ;) {
      const piece = next > 0x10ffff ? next : pieces.of(next)
      if (typeof piece !== 'number') {
        for (let i = piece.length - 1; i >= 0; i--) this.push(defined(piece[i]), start, stop)
        return
      }
      // An escape that stands for nothing is seen all the same: a name ends before it.
      if (piece === SPACE || (piece === DROPPED && next !== code)) this.gap()
      if (piece === SPACE || piece === DROPPED) return
      this.add(piece, start, stop)
      const reference = joined(piece, this.ahead) ?? (piece < 128 && isLead[piece] === 1 ? referenceAt(piece, this.ahead) : undefined)
      if (!reference) return
      stop = defined(this.ends[this.size - reference.length])
      this.size -= reference.length
      next = reference.code
    }
  }

  /** A span that is left out. */
  edge({ start, end }: TextSegment): void {
    this.gap()
    this.add(EDGE_CODE, start, end)
    this.gap()
  }

  get length(): number {
    return this.size
  }

  /** The next character of that code, from `from` on towards the text's beginning; -1 where there is none. */
  indexOf(code: number, from: number): number {
    const { codes, size } = this
    let i = from
    while (i < size && codes[i] !== code) i++
    return i < size ? i : -1
  }

  codeAt(i: number): number {
    return defined(this.codes[i])
  }

  /** What a character stands for: one letter, or several. */
  charactersAt(i: number): string {
    return folds.of(defined(this.codes[i]))
  }

  /** Whether a space, a line break or an edge stands before the character. */
  hasGapBefore(i: number): boolean {
    return this.gaps[i] === 1
  }

  /** Whether the character stands in the text as it is, and not as an escape. */
  isPlain(i: number): boolean {
    return defined(this.ends[i]) - defined(this.starts[i]) <= 2
  }

  /** The span of the text from the character `first` to the character `last`, which comes later in the text. */
  segment(first: number, last = first): TextSegment {
    return { start: defined(this.starts[first]), end: defined(this.ends[last]) }
  }

  private gap(): void {
    if (this.size > 0) this.gaps[this.size - 1] = 1
  }

  private add(code: number, start: number, end: number): void {
    const position = this.size++
    if (position === this.codes.length) this.grow()
    this.codes[position] = code
    this.starts[position] = start
    this.ends[position] = end
    this.gaps[position] = 0
  }

  /** One character can stand for several. */
  private grow(): void {
    const room = this.codes.length * 2
    const larger = <T extends Int32Array | Uint8Array>(list: T, copy: T): T => {
      copy.set(list)
      return copy
    }
    this.codes = larger(this.codes, new Int32Array(room))
    this.starts = larger(this.starts, new Int32Array(room))
    this.ends = larger(this.ends, new Int32Array(room))
    this.gaps = larger(this.gaps, new Uint8Array(room))
  }
}

/** Two halves of a character that meet, or the bytes of one. */
function joined(code: number, ahead: (i: number) => number): Reference | undefined {
  if (code > 0x10ffff) return joinBytes(code, ahead)
  if (code < 0xd800 || code >= 0xdc00) return undefined
  const low = ahead(1)
  return low >= 0xdc00 && low < 0xe000 ? { code: astral(code, low), length: 2 } : undefined
}

function astral(high: number, low: number): number {
  return (high - 0xd800) * 0x400 + (low - 0xdc00) + 0x10000
}

/** A tag's name as it stands in a skeleton. */
export function foldName(name: string): string {
  const skeleton = fold(name)
  return Array.from({ length: skeleton.length }, (_, i) => skeleton.charactersAt(skeleton.length - 1 - i)).join('')
}
