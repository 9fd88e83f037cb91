import { defined } from '../../invariant.js'
import { placeOf } from '../must-say.js'

const WORD = /[\p{L}\p{N}]+/gu
const JOINS = /[\p{L}\p{N}]/u
/** How many phrases are looked for without an index: most replies have no more. */
const FIRST = 40

/**
 * Which phrases are in a text as words of their own. After the first few phrases the places of each word are indexed, so that the text is
 * not searched again for each.
 */
export class Phrases {
  private places: Map<string, number[]> | undefined
  private readonly known = new Map<string, boolean>()
  /** Places that are still searched: a search for a frequent word, with ever other words after it, ends here. */
  private left: number

  constructor(private readonly text: string) {
    this.left = 10 * text.length + 100_000
  }

  /** Whether a phrase is there; false if the text has been searched too often already. */
  holds(phrase: string): boolean {
    let isFounded = this.known.get(phrase)
    if (isFounded === undefined) this.known.set(phrase, (isFounded = this.find(phrase)))
    return isFounded
  }

  private find(phrase: string): boolean {
    if (this.known.size < FIRST) return placeOf(this.text, phrase) >= 0
    WORD.lastIndex = 0
    const first = WORD.exec(phrase)
    if (!first) return phrase !== '' && this.text.includes(phrase)
    const behind = JOINS.test(defined(phrase.at(-1)))
    for (const place of (this.places ??= this.index()).get(first[0]) ?? []) {
      if (--this.left < 0) return false
      const start = place - first.index
      const next = this.text[start + phrase.length]
      if (this.text.startsWith(phrase, start) && !(behind && next !== undefined && JOINS.test(next))) return true
    }
    return false
  }

  private index(): Map<string, number[]> {
    const places = new Map<string, number[]>()
    for (const { 0: word, index } of this.text.matchAll(WORD)) {
      const known = places.get(word)
      if (known) known.push(index)
      else places.set(word, [index])
    }
    return places
  }
}
