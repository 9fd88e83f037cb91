import { defined } from '../invariant.js'
import { termsOf } from './terms.js'

const K1 = 1.2
const B = 0.75

/**
 * Cases by their terms: BM25 (k1 1.2, b 0.75), the weight of a term in a case worked out once, so that a question adds up numbers. Made once
 * for a set and shared by all records.
 */
export class CaseIndex {
  private readonly terms: CountedTerms
  /** The cases that have a term, and its weight in each: those of term t are from `starts[t]` to `starts[t + 1]`. */
  private readonly starts: Uint32Array
  private readonly cases: Uint32Array
  private readonly weights: Float32Array
  private readonly scores: Float64Array
  private readonly touched: Uint32Array
  private readonly bags: (Uint32Array | undefined)[] = []

  constructor(readonly texts: readonly string[]) {
    this.terms = new CountedTerms(texts)
    const { numbers, found, counts, ends, lengths } = this.terms
    this.starts = new Uint32Array(numbers.size + 1)
    for (const term of found) this.starts[term + 1] = defined(this.starts[term + 1]) + 1
    const rarities = Float64Array.from({ length: numbers.size }, (_, term) => {
      const holders = defined(this.starts[term + 1])
      return Math.log(1 + (texts.length - holders + 0.5) / (holders + 0.5))
    })
    for (let term = 0; term < numbers.size; term++) this.starts[term + 1] = defined(this.starts[term + 1]) + defined(this.starts[term])
    this.cases = new Uint32Array(found.length)
    this.weights = new Float32Array(found.length)
    const next = this.starts.slice()
    const average = sum(lengths) / Math.max(1, lengths.length)
    for (let index = 0, i = 0; index < texts.length; index++) {
      const long = K1 * (1 - B + (B * defined(lengths[index])) / average)
      for (; i < defined(ends[index]); i++) {
        const term = defined(found[i])
        const count = defined(counts[i])
        const place = defined(next[term])
        next[term] = place + 1
        this.cases[place] = index
        this.weights[place] = (defined(rarities[term]) * count * (K1 + 1)) / (count + long)
      }
    }
    this.scores = new Float64Array(texts.length)
    this.touched = new Uint32Array(texts.length)
  }

  /**
   * The score of every case that shares a term with the text; all others have 0. Both lists are this index's own, and stand until the next
   * question.
   */
  score(text: string): { readonly scores: Float64Array; readonly touched: Uint32Array } {
    const { scores, cases, weights, starts, touched } = this
    scores.fill(0)
    for (const [term, times] of countTerms(termsOf(text))) {
      const number = this.terms.numbers.get(term)
      if (number === undefined) continue
      const end = defined(starts[number + 1])
      for (let i = defined(starts[number]); i < end; i++) {
        const index = defined(cases[i])
        scores[index] = defined(scores[index]) + times * defined(weights[i])
      }
    }
    let count = 0
    for (let index = 0; index < scores.length; index++) if (scores[index] !== 0) touched[count++] = index
    return { scores, touched: touched.subarray(0, count) }
  }

  /** A case's terms as sorted numbers, each as often as it comes. */
  private bag(index: number): Uint32Array {
    return (this.bags[index] ??= Uint32Array.from(this.terms.of(index).filter((term) => !this.isEverywhere(term))).sort())
  }

  /** A term in every case belongs to the layout: it makes no two of them alike. */
  private isEverywhere(term: number): boolean {
    const { length } = this.texts
    return length > 2 && defined(this.starts[term + 1]) - defined(this.starts[term]) === length
  }

  /** How alike two cases are: 1 if they have the same words, in any order (Dice's measure). */
  likeness(index: number, other: number): number {
    return overlap(this.bag(index), this.bag(other))
  }
}

/** The terms of texts by numbers, in few lists: objects for each would be millions. */
class CountedTerms {
  readonly numbers = new Map<string, number>()
  /** The terms of all texts, each once for a text, and how often it comes there. */
  readonly found: number[] = []
  readonly counts: number[] = []
  /** Where each text's terms end, and how many it has. */
  readonly ends: Uint32Array
  readonly lengths: Uint32Array

  constructor(texts: readonly string[]) {
    this.ends = new Uint32Array(texts.length)
    this.lengths = new Uint32Array(texts.length)
    /** The place where a term was found last. */
    const places: number[] = []
    texts.forEach((text, index) => {
      const begin = this.found.length
      const terms = termsOf(text)
      for (const term of terms) {
        const number = this.numberOf(term)
        const place = places[number]
        if (place !== undefined && place >= begin) this.counts[place] = defined(this.counts[place]) + 1
        else {
          places[number] = this.found.length
          this.found.push(number)
          this.counts.push(1)
        }
      }
      this.ends[index] = this.found.length
      this.lengths[index] = terms.length
    })
  }

  /** The terms of one text, each as often as it comes. */
  of(index: number): number[] {
    const terms: number[] = []
    for (let i = index === 0 ? 0 : defined(this.ends[index - 1]); i < defined(this.ends[index]); i++)
      for (let count = defined(this.counts[i]); count > 0; count--) terms.push(defined(this.found[i]))
    return terms
  }

  private numberOf(term: string): number {
    const known = this.numbers.get(term)
    if (known !== undefined) return known
    this.numbers.set(term, this.numbers.size)
    return this.numbers.size - 1
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
