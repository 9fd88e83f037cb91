import { defined } from '../invariant.js'
import { characterEntities } from 'character-entities'

/** Characters with which an escaped character can begin: `&lt;`, `%3c`, `\u003c`, `=3C`. */
export const LEADS = '&%\\='

/** What an escape stands for, and how many characters it takes. */
export interface Reference {
  readonly code: number
  readonly length: number
}

/** A byte of a UTF-8 sequence that was written as an escape of its own, until its sequence is whole: `%EF%BC%9C`. */
const BYTE = 0x110000
/** More than this many characters are no escape that a reader decodes. Leading zeros count beside it. */
const LONGEST_NAME = 32

const AMPERSAND = 0x26
const PERCENT = 0x25
const EQUALS = 0x3d

/**
 * Reads the escape that begins with the character at `0`. `at(i)` is the character behind it at that distance, or -1 beyond the end.
 * Named references are those of HTML, with and without `;`.
 */
export function referenceAt(lead: number, codeAt: (i: number) => number): Reference | undefined {
  if (lead === AMPERSAND) return codeAt(1) === 0x23 ? numbered(codeAt) : named(codeAt)
  if (lead === PERCENT) {
    if (isLetter(codeAt(1), 'u')) return digits(codeAt, 2, 16, 4, 4)
    return byte(digits(codeAt, 1, 16, 2, 2))
  }
  if (lead === EQUALS) return byte(digits(codeAt, 1, 16, 2, 2))
  return backslashed(codeAt)
}

/** Escaped bytes that follow one another are one character in UTF-8. */
export function joinBytes(code: number, codeAt: (i: number) => number): Reference | undefined {
  const first = code - BYTE
  const more = first >= 0xf0 ? 3 : first >= 0xe0 ? 2 : first >= 0xc2 ? 1 : 0
  if (first < 0 || more === 0) return undefined
  let point = first & (0x3f >> more)
  for (let i = 1; i <= more; i++) {
    const next = codeAt(i) - BYTE
    if (next < 0x80 || next > 0xbf) return undefined
    point = (point << 6) | (next & 0x3f)
  }
  return point > 0x10ffff ? undefined : { code: point, length: more + 1 }
}

/** A byte that belongs to no sequence, as the character of Latin-1 that it may have been meant as. */
export function loneByte(code: number): number {
  return code >= BYTE ? code - BYTE : code
}

function byte(reference: Reference | undefined): Reference | undefined {
  return reference && reference.code >= 0x80 && reference.code <= 0xff ? { ...reference, code: BYTE + reference.code } : reference
}

/** `&#60;`, `&#x3c;`, with any number of leading zeros. */
function numbered(codeAt: (i: number) => number): Reference | undefined {
  const hex = isLetter(codeAt(2), 'x')
  const start = hex ? 3 : 2
  let zeros = 0
  while (codeAt(start + zeros) === 0x30) zeros++
  const reference = digits(codeAt, start + zeros, hex ? 16 : 10, zeros > 0 ? 0 : 1, 8)
  return reference && { code: reference.code, length: reference.length + (codeAt(reference.length) === SEMICOLON ? 1 : 0) }
}

const SEMICOLON = 0x3b

/** `&lt;`, and `&lt` where another character follows than one of a longer name. */
function named(codeAt: (i: number) => number): Reference | undefined {
  let name = ''
  while (name.length < LONGEST_NAME && isAlphanumeric(codeAt(name.length + 1))) name += String.fromCharCode(codeAt(name.length + 1))
  if (name === '') return undefined
  const whole = entity(name)
  if (whole !== undefined) return { code: whole, length: name.length + (codeAt(name.length + 1) === SEMICOLON ? 2 : 1) }
  for (let length = Math.min(name.length - 1, LONGEST_PREFIX); length > 1; length--) {
    const code = PREFIXES.get(name.slice(0, length).toLowerCase())
    if (code !== undefined) return { code, length: length + 1 }
  }
  return undefined
}

function entity(name: string): number | undefined {
  const text = own(name) ?? own(name.toLowerCase())
  return text?.codePointAt(0)
}

function own(name: string): string | undefined {
  return Object.hasOwn(characterEntities, name) ? characterEntities[name] : undefined
}

/** Names that count even where letters follow: those of a tag's own characters, of escapes, and of what is invisible. */
const PREFIXES: ReadonlyMap<string, number> = new Map(
  [
    'lt',
    'gt',
    'sol',
    'amp',
    'bsol',
    'percnt',
    'num',
    'equals',
    'nbsp',
    'shy',
    'zwj',
    'zwnj',
    'lowbar',
    'hyphen',
    'dash',
    'laquo',
    'raquo',
  ].map((name) => [name, defined(entity(name))]),
)
const LONGEST_PREFIX = 6

/** `\u003c`, `\u{3c}`, `\U0000003c`, `\x3c`, `\x{3c}`, `\74`, `\3c`, `\<`, and `\n` for a line break. */
function backslashed(codeAt: (i: number) => number): Reference | undefined {
  const next = codeAt(1)
  if (isLetter(next, 'u') || isLetter(next, 'x')) {
    if (codeAt(2) === 0x7b) {
      let zeros = 0
      while (codeAt(3 + zeros) === 0x30) zeros++
      const reference = digits(codeAt, 3 + zeros, 16, zeros > 0 ? 0 : 1, 6)
      return reference && codeAt(reference.length) === 0x7d ? { code: reference.code, length: reference.length + 1 } : undefined
    }
    if (isLetter(next, 'x')) return byte(digits(codeAt, 2, 16, 2, 2))
    return (next === 0x55 ? digits(codeAt, 2, 16, 8, 8) : undefined) ?? digits(codeAt, 2, 16, 4, 4)
  }
  const number = bareNumber(codeAt)
  if (number) return number
  if (next === 0x6e || next === 0x72 || next === 0x74) return { code: 0x20, length: 2 }
  return PUNCTUATION.includes(next) ? { code: next, length: 2 } : undefined
}

/** `\074` in octal digits, `\3c` or `\00003c` in hexadecimal ones: of the ways to read it, one that gives a character of a tag or an escape. */
function bareNumber(codeAt: (i: number) => number): Reference | undefined {
  const ways = [
    digits(codeAt, 1, 8, 3, 3),
    digits(codeAt, 1, 8, 2, 2),
    ...[6, 5, 4, 3, 2].map((count) => digits(codeAt, 1, 16, count, count)),
  ]
  const readings = ways.filter((way) => way !== undefined && way.code <= 0xff)
  const of = (wanted: RegExp) => readings.find((way) => wanted.test(String.fromCharCode(defined(way).code)))
  return byte(of(/[<>/&%#;=\\]/) ?? of(/[\w-]/) ?? readings[0])
}

const PUNCTUATION: readonly number[] = Array.from(`<>/&%#;=\\`).map((character) => character.charCodeAt(0))

/** Between `least` and `most` digits from `from` on; `length` counts from the lead. */
function digits(codeAt: (i: number) => number, from: number, base: number, least: number, most: number): Reference | undefined {
  let code = 0
  let count = 0
  for (; count < most; count++) {
    const value = digitOf(codeAt(from + count))
    if (value >= base) break
    code = code * base + value
  }
  return count >= least && code <= 0x10ffff ? { code, length: from + count } : undefined
}

function digitOf(code: number): number {
  if (code >= 0x30 && code <= 0x39) return code - 0x30
  const small = code | 0x20
  return small >= 0x61 && small <= 0x66 ? small - 0x57 : 99
}

function isLetter(code: number, letter: string): boolean {
  return (code | 0x20) === letter.charCodeAt(0)
}

function isAlphanumeric(code: number): boolean {
  return (code >= 0x30 && code <= 0x39) || ((code | 0x20) >= 0x61 && (code | 0x20) <= 0x7a)
}

/** The names of HTML whose character can begin a tag, or another escape, as far as a first look at a text needs them. */
export function namesThatLead(isLead: (character: string) => boolean): string[] {
  return Object.keys(characterEntities).filter((name) => isLead(defined(characterEntities[name])))
}
