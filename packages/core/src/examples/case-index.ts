import { defined } from '../invariant.js'
import { termsOf } from './terms.js'

const K1 = 1.2
const B = 0.75

/** The cases that contain a term, and its weight in each. */
interface Postings {
  readonly cases: Uint32Array
  readonly weights: Float32Array
}

/**
 * Cases by their terms: BM25 (k1 1.2, b 0.75), the weight of a term in a case worked out once, so that a question adds up numbers. Made once
 * for a set and shared by all records.
 */
export class CaseIndex {
  private readonly postings = new Map<string, Postings>()
  /** Each case's terms as sorted numbers: for how alike two cases are. */
  private readonly bags: readonly Uint32Array[]
  private readonly numbers = new Map<string, number>()
  private readonly everywhere = new Set<string>()
  private readonly scores: Float64Array
  private touched: number[] = []

  constructor(readonly texts: readonly string[]) {
    const terms = texts.map(termsOf)
    const counts = terms.map(countTerms)
    const lengths = counts.map((count) => sum(count.values()))
    const average = sum(lengths) / Math.max(1, lengths.length)
    const holders = new Map<string, [number, number][]>()
    counts.forEach((counted, i) => {
      for (const [term, count] of counted) {
        const list = holders.get(term)
        if (list) list.push([i, count])
        else holders.set(term, [[i, count]])
      }
    })
    for (const [term, list] of holders) {
      const rarity = Math.log(1 + (texts.length - list.length + 0.5) / (list.length + 0.5))
      const cases = Uint32Array.from(list, ([i]) => i)
      const weights = Float32Array.from(
        list,
        ([i, count]) => (rarity * count * (K1 + 1)) / (count + K1 * (1 - B + (B * defined(lengths[i])) / average)),
      )
      this.postings.set(term, { cases, weights })
    }
    // A term in every case belongs to the layout: it makes no two of them alike.
    if (texts.length > 2) for (const [term, list] of holders) if (list.length === texts.length) this.everywhere.add(term)
    this.bags = terms.map((term) => this.bagOf(this.own(term)))
    this.scores = new Float64Array(texts.length)
  }

  private own(terms: readonly string[]): string[] {
    return terms.filter((term) => !this.everywhere.has(term))
  }

  private bagOf(terms: readonly string[]): Uint32Array {
    return Uint32Array.from(terms, (term) => {
      const known = this.numbers.get(term)
      if (known !== undefined) return known
      this.numbers.set(term, this.numbers.size)
      return this.numbers.size - 1
    }).sort()
  }

  /**
   * The score of every case that shares a term with the text; all others have 0. The scores are this index's own, and stand until the next
   * question.
   */
  score(text: string): { readonly scores: Float64Array; readonly touched: readonly number[] } {
    const { scores } = this
    for (const i of this.touched) scores[i] = 0
    const touched: number[] = []
    for (const [term, times] of countTerms(termsOf(text))) {
      const postings = this.postings.get(term)
      if (!postings) continue
      const { cases, weights } = postings
      for (let i = 0; i < cases.length; i++) {
        const index = defined(cases[i])
        if (scores[index] === 0) touched.push(index)
        scores[index] = defined(scores[index]) + times * defined(weights[i])
      }
    }
    this.touched = touched
    return { scores, touched }
  }

  /** How alike two cases are: 1 if they have the same words, in any order (Dice's measure). */
  likeness(index: number, other: number): number {
    return overlap(defined(this.bags[index]), defined(this.bags[other]))
  }
}

function overlap(a: Uint32Array, b: Uint32Array): number {
  let shared = 0
  for (let i = 0, j = 0; i < a.length && j < b.length;) {
    if (a[i] === b[j]) {
      shared++
      i++
      j++
    } else if (defined(a[i]) < defined(b[j])) i++
    else j++
  }
  return a.length + b.length === 0 ? 1 : (2 * shared) / (a.length + b.length)
}

function countTerms(terms: readonly string[]): Map<string, number> {
  const counts = new Map<string, number>()
  for (const term of terms) counts.set(term, (counts.get(term) ?? 0) + 1)
  return counts
}

function sum(numbers: Iterable<number>): number {
  let total = 0
  for (const index of numbers) total += index
  return total
}
