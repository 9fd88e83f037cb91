import { datesAreFounded } from './dates-are-founded.js'
import type { TruthFacts, TruthRule } from './facts.js'
import { figuresAreFounded } from './figures-are-founded.js'
import { namesAreFounded } from './names-are-founded.js'
import { noSentenceIsCopied } from './no-sentence-is-copied.js'
import { foldText } from '../fold.js'
import { placeOf, textsIn } from '../must-say.js'
import type { Problem } from '../../problems/problem.js'
import { Source } from '../../source/source.js'

/** In the order in which they are told. */
export const TRUTH_RULES: readonly TruthRule[] = Object.freeze([figuresAreFounded, datesAreFounded, namesAreFounded, noSentenceIsCopied])

/** So many are worth a line each; a reply with more is doubtful as a whole. */
const MOST_DOUBTS = 50

export interface Truth extends Pick<TruthFacts, 'given' | 'examples' | 'language'> {
  readonly reply: string
  /** What the reply was read as. */
  readonly value: unknown
}

/** What is to be verified in a reply: each once, with its place in it. */
export function doubtsIn({ given, examples, language, reply, value }: Truth): Problem[] {
  const source = new Source('the reply', reply)
  const knownText = { given: foldAll(given), examples: foldAll(examples) }
  const facts: TruthFacts = {
    given,
    examples,
    language,
    said: [...textsIn(value), ...numbersOf(value)],
    stands: (words, among) => placeOf(among === 'given' ? knownText.given : knownText.examples, words) >= 0,
    placeOf: (text) => {
      const at = reply.indexOf(text)
      return at < 0 ? undefined : source.span(at, at + text.length)
    },
  }
  const found = new Map<string, Problem>()
  for (const rule of TRUTH_RULES)
    rule.check(facts, (one) => {
      if (found.size < MOST_DOUBTS) found.set(one.message, one)
    })
  return [...found.values()].sort((a, b) => (a.span?.start ?? 0) - (b.span?.start ?? 0))
}

/** Texts that are long and come again with every record, a system turn most of all, are folded once. */
const folded = new Map<string, string>()
const MOST_FOLDED = 64
const WORTH_KEEPING = 400

function foldAll(texts: readonly string[]): string {
  return texts.map(foldOnce).join(' ')
}

function foldOnce(text: string): string {
  if (text.length < WORTH_KEEPING) return foldText(text)
  const before = folded.get(text)
  if (before !== undefined) return before
  const now = foldText(text)
  if (folded.size >= MOST_FOLDED) folded.clear()
  folded.set(text, now)
  return now
}

/** Numbers of the data itself, as texts. */
function numbersOf(value: unknown, depth = 0): string[] {
  if (typeof value === 'number') return [String(value)]
  if (typeof value !== 'object' || value === null || depth > 100) return []
  return Object.values(value).flatMap((one) => numbersOf(one, depth + 1))
}

/** The texts of all values, however deep: what a record gives. */
export function givenTexts(value: unknown, depth = 0): string[] {
  if (typeof value === 'string') return [value]
  if (typeof value === 'number' || typeof value === 'bigint') return [String(value)]
  if (typeof value !== 'object' || value === null || depth > 100 || ArrayBuffer.isView(value)) return []
  return Object.values(value).flatMap((one) => givenTexts(one, depth + 1))
}
