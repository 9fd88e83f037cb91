import { defined } from '../invariant.js'
/** Scripts without spaces between words: there, two neighbouring characters are a term. */
const UNSPACED = /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Thai}\p{Script=Lao}\p{Script=Khmer}\p{Script=Myanmar}]/u
const WORDS = /[\p{L}\p{N}][\p{L}\p{M}\p{N}]*/gu
/** Texts without a character of such a script need no second look. */
const NEVER_BEYOND = /^[^\u0e00-\u10ff\u1780-\u17ff\u3000-\u{3ffff}]*$/u

/**
 * The terms by which texts are compared: words folded by NFKC and case, and in scripts without spaces, pairs of characters.
 *
 * @example termsOf('Rim CRACKED, twice'); // => ['rim', 'cracked', 'twice']
 */
export function termsOf(text: string): string[] {
  const words = text.normalize('NFKC').toLowerCase().match(WORDS) ?? []
  if (NEVER_BEYOND.test(text)) return words
  return words.flatMap((word) => (UNSPACED.test(word) ? pairs(word) : [word]))
}

function pairs(word: string): string[] {
  const characters = Array.from(word)
  return characters.length === 1 ? characters : characters.slice(1).map((character, i) => defined(characters[i]) + character)
}
