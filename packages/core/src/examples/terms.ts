import { defined } from '../invariant.js'
/** Scripts that write no blanks between words: there, two neighbouring signs are a term. */
const UNSPACED = /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Thai}\p{Script=Lao}\p{Script=Khmer}\p{Script=Myanmar}]/u
const WORDS = /[\p{L}\p{N}][\p{L}\p{M}\p{N}]*/gu
/** Texts without a sign of such a script need no second look. */
const NEVER_BEYOND = /^[^\u0e00-\u10ff\u1780-\u17ff\u3000-\u{3ffff}]*$/u

/**
 * The terms by which texts are likened: words folded by NFKC and case, and where a script writes no blanks, pairs of signs.
 *
 * @example termsOf('Rim CRACKED, twice'); // => ['rim', 'cracked', 'twice']
 */
export function termsOf(text: string): string[] {
  const words = text.normalize('NFKC').toLowerCase().match(WORDS) ?? []
  if (NEVER_BEYOND.test(text)) return words
  return words.flatMap((word) => (UNSPACED.test(word) ? pairs(word) : [word]))
}

function pairs(word: string): string[] {
  const signs = Array.from(word)
  return signs.length === 1 ? signs : signs.slice(1).map((sign, i) => defined(signs[i]) + sign)
}
