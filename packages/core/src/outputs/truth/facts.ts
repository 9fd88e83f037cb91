import type { Problem } from '../../problems/problem.js'
import type { Span } from '../../source/source.js'

/** What a reply may know, and what it says. */
export interface TruthFacts {
  /** The prompt without its examples, and the record with all its values: what is in them is founded. */
  readonly sources: readonly string[]
  /** The examples that the prompt had. */
  readonly examples: readonly string[]
  /** The texts that the reply says, and the numbers. */
  readonly claims: readonly string[]
  /** The language of the answer, where it is known: `de`. */
  readonly language: string | undefined
  /** Whether words stand in what was given, or in an example, as they are: most do, and need no closer look. */
  readonly stands: (words: string, among: 'sources' | 'examples') => boolean
  /** Where a text stands in the reply. */
  readonly placeOf: (text: string) => Span | undefined
}

/** One rule of truth, in a file that is named for the valid state. It looks at what cannot be known, and lists it. */
export interface TruthRule {
  readonly name: string
  readonly check: (facts: TruthFacts, report: (make: () => Problem) => void) => void
}
