import { wordsIn } from 'dunelight/host'

/** The share of words that two texts do not have in common: from 0, the same words, to 1, none. */
export function distanceOf(text: string, other: string): number {
  const bag = new Map<string, number>()
  const [left, right] = [wordsIn(text), wordsIn(other)]
  for (const word of left) bag.set(word, (bag.get(word) ?? 0) + 1)
  let shared = 0
  for (const word of right) {
    const count = bag.get(word) ?? 0
    if (count > 0) shared++
    bag.set(word, count - 1)
  }
  return left.length + right.length === 0 ? 0 : 1 - (2 * shared) / (left.length + right.length)
}

export function countWords(text: string): number {
  return wordsIn(text).length
}

/** Texts with at most this many words of their own are nearly equal. */
const NEARLY = 0.1

/** For each text the number of the first one before it that is nearly equal, from 1; undefined if there is none. */
export function nearlyTheSame(texts: readonly string[]): (number | undefined)[] {
  return texts.map((text, i) => {
    const first = texts.findIndex((other, j) => j < i && distanceOf(other, text) <= NEARLY)
    return first < 0 ? undefined : first + 1
  })
}
