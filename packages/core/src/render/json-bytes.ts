import { defined } from '../invariant.js'
import { unitAt } from '../values/data.js'

/** What a JSON string in UTF-8 does not hold as it stands. */
// eslint-disable-next-line no-control-regex -- JSON escapes control characters
const CHANGED = /["\\\u0000-\u001f\u0080-\uffff]/
const BEYOND_ASCII = /[\u0080-\uffff]/

/**
 * A text as it stands between the quotes of a JSON string, in UTF-8 with one character for each byte. Such texts stay in an engine's narrow
 * strings and are written without being encoded once more, which costs more than rendering them.
 *
 * @example jsonBytes('a "quay"'); // => 'a \\"quay\\"'
 */
export function jsonBytes(text: string): string {
  if (!CHANGED.test(text)) return text
  let bytes = ''
  let from = 0
  for (let i = 0; i < text.length; i++) {
    const unit = unitAt(text, i)
    if (unit > 0x1f && unit < 0x80 && unit !== 0x22 && unit !== 0x5c) continue
    if (from < i) bytes += text.slice(from, i)
    if (unit < 0x80) bytes += defined(ESCAPES[unit])
    else {
      const point = defined(text.codePointAt(i))
      if (point > 0xffff) i++
      bytes += isHalf(point) ? `\\u${point.toString(16)}` : bytesOf(point)
    }
    from = i + 1
  }
  return from < text.length ? bytes + text.slice(from) : bytes
}

/** How JSON writes the characters of ASCII that do not stand for themselves. */
const ESCAPES: readonly string[] = Array.from({ length: 0x80 }, (_, unit) => JSON.stringify(String.fromCharCode(unit)).slice(1, -1))

/** Half a surrogate pair, which UTF-8 has no bytes for. */
function isHalf(point: number): boolean {
  return point >= 0xd800 && point < 0xe000
}

/** A text's UTF-8, one character for each byte. Half a surrogate pair becomes the character for what cannot be read. */
export function utf8Bytes(text: string): string {
  if (!BEYOND_ASCII.test(text)) return text
  let bytes = ''
  let from = 0
  for (let i = 0; i < text.length; i++) {
    const unit = unitAt(text, i)
    if (unit < 0x80) continue
    if (from < i) bytes += text.slice(from, i)
    const point = defined(text.codePointAt(i))
    if (point > 0xffff) i++
    from = i + 1
    bytes += bytesOf(isHalf(point) ? 0xfffd : point)
  }
  return from < text.length ? bytes + text.slice(from) : bytes
}

function bytesOf(point: number): string {
  const tail = (shift: number) => 0x80 | ((point >> shift) & 0x3f)
  if (point < 0x800) return String.fromCharCode(0xc0 | (point >> 6), tail(0))
  if (point < 0x10000) return String.fromCharCode(0xe0 | (point >> 12), tail(6), tail(0))
  return String.fromCharCode(0xf0 | (point >> 18), tail(12), tail(6), tail(0))
}

/** The text whose UTF-8 these bytes are. */
export function utf8Text(bytes: string): string {
  // eslint-disable-next-line no-control-regex -- ASCII is what it is
  if (!/[^\u0000-\u007f]/.test(bytes)) return bytes
  return decodeURIComponent(bytes.replace(/[%\u0080-\u00ff]/g, (byte) => `%${byte.charCodeAt(0).toString(16).padStart(2, '0')}`))
}
