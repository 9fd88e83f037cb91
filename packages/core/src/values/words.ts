import { defined } from '../invariant.js'
/** What each character of ASCII is: 1 within words, 0 between them. */
const WITHIN = Uint8Array.from({ length: 0x80 }, (_, unit) => (/[a-zA-Z0-9]/.test(String.fromCharCode(unit)) ? 1 : 0))
const WORD_SIGN = /[\p{L}\p{N}]/u

/**
 * The words of a text, in lower case: runs of letters and digits.
 *
 * @example wordsIn('Rim CRACKED, twice.'); // => ['rim', 'cracked', 'twice']
 */
export function wordsIn(text: string): string[] {
  const lower = text.toLowerCase()
  const words: string[] = []
  let start = -1
  for (let i = 0; i < lower.length; i++) {
    const within = isWordSign(lower, i)
    if (within && start < 0) start = i
    else if (!within && start >= 0) {
      words.push(lower.slice(start, i))
      start = -1
    }
  }
  if (start >= 0) words.push(lower.slice(start))
  return words
}

/** Whether these words, as `wordsIn` returns them, follow each other in a text of lower case, with anything between them. */
export function standInARow(words: readonly string[], lower: string): boolean {
  const [first = ''] = words
  for (let at = lower.indexOf(first); at >= 0; at = lower.indexOf(first, at + 1))
    if (!isWordSign(lower, at - 1) && goOn(words, lower, at + first.length)) return true
  return false
}

function goOn(words: readonly string[], lower: string, from: number): boolean {
  let at = from
  for (let i = 1; i < words.length; i++) {
    const end = at
    while (at < lower.length && !isWordSign(lower, at)) at++
    if (at === end || !lower.startsWith(defined(words[i]), at)) return false
    at += defined(words[i]).length
  }
  return !isWordSign(lower, at)
}

/** Whether the character at a place, or the one that it is a half of, belongs to a word. */
export function isWordSign(text: string, at: number): boolean {
  const unit = text.charCodeAt(at)
  if (unit < 0x80) return WITHIN[unit] === 1
  if (Number.isNaN(unit)) return false
  const second = unit >= 0xdc00 && unit < 0xe000 && isFirstHalf(text.charCodeAt(at - 1))
  return WORD_SIGN.test(String.fromCodePoint(defined(text.codePointAt(second ? at - 1 : at))))
}

function isFirstHalf(unit: number): boolean {
  return unit >= 0xd800 && unit < 0xdc00
}
