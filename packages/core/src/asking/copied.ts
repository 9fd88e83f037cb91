import { defined } from '../invariant.js'
import { rememberLong } from '../values/remember.js'
import { standInARow, wordsIn } from '../values/words.js'

/** Finds this many words in a row that stand in what was sent. */
export class Copied {
  constructor(private readonly most: number) {}

  /** The first run of words of the texts that is also in `sent`. The answer is the shorter text: `sent` is searched for its words. */
  find(texts: readonly string[], sent: readonly string[]): string | undefined {
    for (const text of texts) {
      const words = wordsIn(text)
      if (words.length < this.most || !this.mayHold(words, sent)) continue
      const begins = new Map<string, number[]>()
      for (let index = 0; index + this.most <= words.length; index++) {
        const places = begins.get(defined(words[index]))
        if (places) places.push(index)
        else begins.set(defined(words[index]), [index])
      }
      let earliest = Infinity
      for (const text of sent) earliest = Math.min(earliest, this.earliest(words, begins, wordsIn(text)))
      if (earliest < Infinity) return words.slice(earliest, earliest + this.most).join(' ')
    }
    return undefined
  }

  /**
   * Whether a run can occur at all. Of the words cut into blocks of half a run's length, every run contains a whole block: few have to be looked
   * for, without cutting what was sent into words.
   */
  private mayHold(words: readonly string[], sent: readonly string[]): boolean {
    const size = Math.ceil(this.most / 2)
    for (let position = 0; position + size <= words.length; position += size) {
      const block = words.slice(position, position + size)
      if (sent.some((text) => standInARow(block, lowerCase(text)))) return true
    }
    return false
  }

  private earliest(words: readonly string[], begins: ReadonlyMap<string, readonly number[]>, sent: readonly string[]): number {
    let earliest = Infinity
    for (let place = 0; place + this.most <= sent.length; place++) {
      for (const from of begins.get(defined(sent[place])) ?? NOWHERE) {
        if (from >= earliest) break
        let same = 1
        while (same < this.most && words[from + same] === sent[place + same]) same++
        if (same === this.most) earliest = from
      }
    }
    return earliest
  }
}

const lowerCase = rememberLong((text) => text.toLowerCase())

const NOWHERE: readonly number[] = []
