import { likeness, NEARLY_THE_SAME, wordsIn } from 'dunelight/host'

export function countWords(text: string): number {
  return wordsIn(text).length
}

/** For each text the number of the first one before it that is nearly the same, from 1; undefined if there is none. */
export function nearlyTheSame(texts: readonly string[]): (number | undefined)[] {
  return texts.map((text, i) => {
    const first = texts.findIndex((other, j) => j < i && likeness(other, text) >= NEARLY_THE_SAME)
    return first < 0 ? undefined : first + 1
  })
}
