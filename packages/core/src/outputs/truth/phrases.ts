import { isWordSign } from '../../values/words.js'

const WORD = /[\p{L}\p{N}]+/gu
/** So many phrases are looked for without an index: most replies have no more. */
const FIRST = 40

/**
 * Which phrases are in a text as words of their own. After the first few the places of each word are indexed, so that checking one phrase after
 * another does not go through the text for each.
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
    if (phrase === '') return false
    if (this.known.size < FIRST && !this.places) return this.search(phrase)
    WORD.lastIndex = 0
    const first = WORD.exec(phrase)
    if (!first) return this.text.includes(phrase)
    for (const place of (this.places ??= this.index()).get(first[0]) ?? []) {
      if (--this.left < 0) return false
      const start = place - first.index
      if (this.text.startsWith(phrase, start) && this.isWhole(phrase, start)) return true
    }
    return false
  }

  private search(phrase: string): boolean {
    for (let start = this.text.indexOf(phrase); start >= 0; start = this.text.indexOf(phrase, start + 1)) {
      if (this.isWhole(phrase, start)) return true
      if (--this.left < 0) return false
    }
    return false
  }

  /** Whether a phrase at a place does not begin or end within a word. */
  private isWhole(phrase: string, start: number): boolean {
    const { text } = this
    const end = start + phrase.length
    const isJoined = (place: number) => place > 0 && isWordSign(text, place - 1) && isWordSign(text, place)
    return !isJoined(start) && !isJoined(end)
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
