import { likenessOfWords, NEARLY_THE_SAME } from './likeness.js'
import { wordsIn } from './words.js'

/** Texts none of which is nearly the same as another. */
export class DistinctTexts {
  private readonly exact = new Set<string>()
  private readonly words: (readonly string[])[] = []

  get size(): number {
    return this.words.length
  }

  /** Adds a text; false if it is there already, or one that is nearly the same. */
  add(text: string): boolean {
    const words = wordsIn(text)
    const key = words.join(' ')
    if (this.exact.has(key) || this.words.some((other) => likenessOfWords(other, words) >= NEARLY_THE_SAME)) return false
    this.exact.add(key)
    this.words.push(words)
    return true
  }
}
