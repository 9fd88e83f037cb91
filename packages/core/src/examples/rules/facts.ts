import type { CaseIndex } from '../case-index.js'
import type { Report } from '../../problems/problem.js'
import type { Span } from '../../source/source.js'

/** What the rules look at: a set with its sides written. */
export interface SetFacts {
  readonly name: string
  /** The place of problems that concern the whole set. */
  readonly span: Span
  readonly cases: readonly { readonly number: number; readonly span: Span }[]
  /** Each case's two sides; an answer in an output's form is only known in a prompt. */
  readonly inputs: readonly string[]
  readonly expected: readonly (string | undefined)[]
  /** The field that is the label: its options, and each case's. */
  readonly label: { readonly field: string; readonly options: readonly string[]; of(index: number): string } | undefined
  /** Whether an answer, read by its layout, gives the values that it was written from. */
  readonly readBack: (index: number) => boolean
  readonly index: () => CaseIndex
}

/** A rule of example sets, named for the state in which it finds nothing. */
export interface SetRule {
  readonly name: string
  check(facts: SetFacts, report: Report): void
}

export function countLabels({ label, cases }: SetFacts): Map<string, number> {
  const counts = new Map((label?.options ?? []).map((option) => [option, 0]))
  cases.forEach((_, i) => {
    const text = label?.of(i) ?? ''
    counts.set(text, (counts.get(text) ?? 0) + 1)
  })
  return counts
}
