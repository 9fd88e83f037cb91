import { defined } from '../invariant.js'
import { wordsIn } from './words.js'

/** Texts that are at least this much alike are nearly the same. */
export const NEARLY_THE_SAME = 0.85
/** A word this short is counted less: of, and, the, a, und, der. */
const SHORT = 3
const [SHORT_WEIGHT, NUMBER_WEIGHT] = [0.25, 2]
/** Word pairs up to which the order of the words is compared. Longer texts are compared without it. */
const MOST_PAIRS = 4_000_000

/**
 * How much two texts have in common, from 0, no word, to 1, the same words in the same order. Short words count little and numbers much.
 *
 * @example likeness('A brass lamp', 'The brass lamp') > 0.8 // => true
 */
export function likeness(text: string, other: string): number {
  return text === other ? 1 : likenessOfWords(wordsIn(text), wordsIn(other))
}

export function likenessOfWords(left: readonly string[], right: readonly string[]): number {
  const whole = weightOf(left) + weightOf(right)
  if (whole === 0) return 1
  return (2 * (left.length * right.length <= MOST_PAIRS ? sharedInOrder(left, right) : shared(left, right))) / whole
}

function weightOf(words: readonly string[]): number {
  return words.reduce((sum, word) => sum + weight(word), 0)
}

function weight(word: string): number {
  const first = word.charCodeAt(0)
  if (first >= 48 && first <= 57) return NUMBER_WEIGHT
  return word.length <= SHORT ? SHORT_WEIGHT : 1
}

/** The weight of the words that both have in the same order: the heaviest common subsequence. */
function sharedInOrder(left: readonly string[], right: readonly string[]): number {
  let before = new Float64Array(right.length + 1)
  let now = new Float64Array(right.length + 1)
  for (const word of left) {
    for (let i = 0; i < right.length; i++)
      now[i + 1] = right[i] === word ? defined(before[i]) + weight(word) : Math.max(defined(now[i]), defined(before[i + 1]))
    ;[before, now] = [now, before]
  }
  return defined(before[right.length])
}

function shared(left: readonly string[], right: readonly string[]): number {
  const counts = new Map<string, number>()
  for (const word of left) counts.set(word, (counts.get(word) ?? 0) + 1)
  let sum = 0
  for (const word of right) {
    const count = counts.get(word) ?? 0
    if (count > 0) sum += weight(word)
    counts.set(word, count - 1)
  }
  return sum
}
