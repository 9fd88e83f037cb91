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
  for (let position = lower.indexOf(first); position >= 0; position = lower.indexOf(first, position + 1))
    if (!isWordSign(lower, position - 1) && goOn(words, lower, position + first.length)) return true
  return false
}

function goOn(words: readonly string[], lower: string, from: number): boolean {
  let position = from
  for (let i = 1; i < words.length; i++) {
    const end = position
    while (position < lower.length && !isWordSign(lower, position)) position++
    if (position === end || !lower.startsWith(defined(words[i]), position)) return false
    position += defined(words[i]).length
  }
  return !isWordSign(lower, position)
}

/** Whether the character at a place, or the one that it is a half of, belongs to a word. */
export function isWordSign(text: string, position: number): boolean {
  const unit = text.charCodeAt(position)
  if (unit < 0x80) return WITHIN[unit] === 1
  if (Number.isNaN(unit)) return false
  const second = unit >= 0xdc00 && unit < 0xe000 && isFirstHalf(text.charCodeAt(position - 1))
  return WORD_SIGN.test(String.fromCodePoint(defined(text.codePointAt(second ? position - 1 : position))))
}

function isFirstHalf(unit: number): boolean {
  return unit >= 0xd800 && unit < 0xdc00
}

/** A pattern for any of these phrases as words of their own, with any spaces between their words. */
export function wholeWords(phrases: readonly string[], flags: string): RegExp {
  const literals = phrases.map((phrase) =>
    phrase
      .trim()
      .replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
      .replace(/\s+/g, '\\s+'),
  )
  return new RegExp(`(?<![\\p{L}\\p{N}])(?:${literals.join('|')})(?![\\p{L}\\p{N}])`, flags)
}
