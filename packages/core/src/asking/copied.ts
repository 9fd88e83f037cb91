/** Texts whose words are remembered: the turns that are the same for every record. */
const REMEMBERED = 64

/** Finds so many words in a row that stand in what was sent. */
export class Copied {
  private readonly remembered = new Map<string, readonly string[]>()

  constructor(private readonly most: number) {}

  /** The first run of words of the texts that stands in `sent` too. The answer is the shorter: what was sent is held against its words. */
  find(texts: readonly string[], sent: readonly string[]): string | undefined {
    for (const text of texts) {
      const words = wordsIn(text)
      const begins = new Map<string, number[]>()
      for (let at = 0; at + this.most <= words.length; at++) {
        const places = begins.get(words[at]!)
        if (places) places.push(at)
        else begins.set(words[at]!, [at])
      }
      if (begins.size === 0) continue
      let earliest = Infinity
      for (const one of sent) earliest = Math.min(earliest, this.earliest(words, begins, this.wordsOf(one)))
      if (earliest < Infinity) return words.slice(earliest, earliest + this.most).join(' ')
    }
    return undefined
  }

  private earliest(words: readonly string[], begins: ReadonlyMap<string, readonly number[]>, sent: readonly string[]): number {
    let earliest = Infinity
    for (let at = 0; at + this.most <= sent.length; at++) {
      for (const from of begins.get(sent[at]!) ?? NOWHERE) {
        if (from >= earliest) break
        let same = 1
        while (same < this.most && words[from + same] === sent[at + same]) same++
        if (same === this.most) earliest = from
      }
    }
    return earliest
  }

  private wordsOf(text: string): readonly string[] {
    const before = this.remembered.get(text)
    if (before) return before
    const words = wordsIn(text)
    if (this.remembered.size >= REMEMBERED) this.remembered.clear()
    this.remembered.set(text, words)
    return words
  }
}

const NOWHERE: readonly number[] = []

function wordsIn(text: string): string[] {
  return text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? []
}
