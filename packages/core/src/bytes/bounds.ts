import { defined } from '../invariant.js'
import { isSuspect } from '../fences/suspicion.js'
import { parseJson } from '../values/json.js'
import { BEYOND, SUSPECT, TYPED, type ByteRow } from './row.js'

/** Gives a cell as text. */
export type Decode = (row: ByteRow, column: number) => string

/** A cell as tables are read: a text, or a value of JSON. */
export function valueOf(row: ByteRow, column: number, decode: Decode): unknown {
  const text = decode(row, column)
  return row.forms[column] === TYPED ? parseJson(text) : text
}

/** Whether a cell that is not empty begins or ends with a space of any kind: its value is shorter then. */
export function hasSpaceAround({ source, starts, ends }: ByteRow, column: number): boolean {
  const start = defined(starts[column])
  let last = defined(ends[column]) - 1
  while ((defined(source[last]) & 0xc0) === 0x80) last--
  return isSpaceAt(source, start) || isSpaceAt(source, last)
}

function isSpaceAt(source: Uint8Array, at: number): boolean {
  const byte = defined(source[at])
  if (byte < 0x80) return byte <= 32
  const second = source[at + 1] ?? 0
  const third = source[at + 2] ?? 0
  switch (byte) {
    case 0xc2:
      return second === 0xa0
    case 0xe1:
      return second === 0x9a && third === 0x80
    case 0xe2:
      return second === 0x80 ? third <= 0x8a || third === 0xa8 || third === 0xa9 || third === 0xaf : second === 0x81 && third === 0x9f
    case 0xe3:
      return second === 0x80 && third === 0x80
    case 0xef:
      return second === 0xbb && third === 0xbf
    default:
      return false
  }
}

/** Whether a cell could begin a form of a fence's tag. The bytes of most cells say that it cannot. */
export function isSuspectCell(row: ByteRow, column: number, decode: Decode): boolean {
  const kinds = defined(row.kinds[column])
  if ((kinds & (SUSPECT | BEYOND)) === 0) return false
  return ((kinds & SUSPECT) !== 0 || holdsOther(row, column)) && isSuspect(decode(row, column))
}

/** Whether a cell has characters beyond letters with accents, dashes and quotation marks. */
function holdsOther({ source, starts, ends }: ByteRow, column: number): boolean {
  const end = defined(ends[column])
  for (let i = defined(starts[column]); i < end; i++) {
    const byte = defined(source[i])
    // ASCII, and bytes within a character.
    if (byte < 0xc2) continue
    const second = defined(source[i + 1])
    if (byte === 0xc2 ? second === 0xab : byte >= 0xca && !(byte >= 0xcc && byte <= 0xe0) && !isDash(byte, second, source[i + 2]))
      return true
  }
  return false
}

/** Whether a character of three bytes is one of the dashes and quotation marks. */
function isDash(byte: number, second: number, third = 0): boolean {
  return byte === 0xe2 && second === 0x80 && third < 0xb0
}
