import type { Problem } from '../../problems/problem.js'
import type { Span } from '../../source/source.js'

/** What a reply may use, and what it contains. */
export interface TruthFacts {
  /** The prompt without its examples, and the record with all its values: what is in them is founded. */
  readonly sources: readonly string[]
  /** The examples that the prompt had. */
  readonly examples: readonly string[]
  /** The texts in the reply, and the numbers. */
  readonly claims: readonly string[]
  /** The same without identifiers, addresses and times, whose letters and digits are no names and figures. */
  readonly prose: readonly string[]
  /** The language of the answer, where it is known: `de`. */
  readonly language: string | undefined
  /** Whether words are in an input, or in an example, unchanged: most are, and need no closer look. */
  readonly stands: (words: string, among: 'sources' | 'examples') => boolean
  /** The place of a text in the reply. */
  readonly placeOf: (text: string) => Span | undefined
}

/** One rule of truth, in a file that is named for the valid state. It lists claims that no input supports. */
export interface TruthRule {
  readonly name: string
  readonly check: (facts: TruthFacts, report: (make: () => Problem) => void) => void
}
