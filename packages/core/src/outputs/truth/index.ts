import { datesAreFounded } from './dates-are-founded.js'
import type { TruthFacts, TruthRule } from './facts.js'
import { figuresAreFounded } from './figures-are-founded.js'
import { identifiersAreFounded, withoutIdentifiers } from './identifiers-are-founded.js'
import { namesAreFounded } from './names-are-founded.js'
import { noSentenceIsCopied } from './no-sentence-is-copied.js'
import { foldedOnce } from '../fold.js'
import { foldWords, textsIn } from '../must-say.js'
import { Phrases } from './phrases.js'
import type { Problem } from '../../problems/problem.js'
import { Source, type Span } from '../../source/source.js'

/** In the order in which they are reported. */
export const TRUTH_RULES: readonly TruthRule[] = Object.freeze([
  figuresAreFounded,
  datesAreFounded,
  namesAreFounded,
  identifiersAreFounded,
  noSentenceIsCopied,
])

/** The most unsupported claims that are listed one by one. */
const MOST_DOUBTS = 50

export interface Truth extends Pick<TruthFacts, 'language'> {
  /** The model's input: computed only if the reply has something to compare with it. */
  readonly sources: () => readonly string[]
  readonly examples: () => readonly string[]
  readonly reply: string
  /** What the reply was read as. */
  readonly value: unknown
}

/** The unsupported claims of a reply: each once, with its place in it. */
export function doubtsIn(truth: Truth): Problem[] {
  const facts = new Facts(truth)
  const claims = new Map<string, Problem>()
  for (const rule of TRUTH_RULES)
    rule.check(facts, (make) => {
      if (claims.size >= MOST_DOUBTS) return
      const problem = make()
      claims.set(problem.message, problem)
    })
  return [...claims.values()].sort((a, b) => (a.span?.start ?? 0) - (b.span?.start ?? 0))
}

/** What most replies never ask for is worked out when it is asked for. */
class Facts implements TruthFacts {
  readonly claims: readonly string[]
  readonly prose: readonly string[]
  private readonly sent: { sources?: readonly string[]; examples?: readonly string[] } = {}
  private readonly phrases: { sources?: Phrases; examples?: Phrases } = {}
  private source: Source | undefined

  constructor(private readonly truth: Truth) {
    this.claims = [...textsIn(truth.value), ...numbersOf(truth.value)]
    this.prose = this.claims.map(withoutIdentifiers)
  }

  get language(): string | undefined {
    return this.truth.language
  }

  get sources(): readonly string[] {
    return (this.sent.sources ??= this.truth.sources())
  }

  get examples(): readonly string[] {
    return (this.sent.examples ??= this.truth.examples())
  }

  stands(words: string, among: 'sources' | 'examples'): boolean {
    return (this.phrases[among] ??= new Phrases(this[among].map(foldedOnce).join(' '))).holds(foldWords(words))
  }

  placeOf(text: string): Span | undefined {
    const { reply } = this.truth
    const position = reply.indexOf(text)
    if (position < 0) return undefined
    this.source ??= new Source('the reply', reply)
    return this.source.span(position, position + text.length)
  }
}

/** Numbers of the data itself, as texts. */
function numbersOf(value: unknown, depth = 0): string[] {
  if (typeof value === 'number') return [String(value)]
  if (typeof value !== 'object' || value === null || depth > 100) return []
  return Object.values(value).flatMap((value) => numbersOf(value, depth + 1))
}

/** The texts of all values, however deep: what a record gives. */
export function givenTexts(value: unknown, depth = 0): string[] {
  if (typeof value === 'string') return [value]
  if (typeof value === 'number' || typeof value === 'bigint') return [String(value)]
  if (typeof value !== 'object' || value === null || depth > 100 || ArrayBuffer.isView(value)) return []
  return Object.values(value).flatMap((value) => givenTexts(value, depth + 1))
}
