import { problem, type Problem } from '../problems/problem.js'
import { Source, type Span } from '../source/source.js'

/** The repairs that a reader may make, by the name under which they are counted. */
export type Repair =
  'prose' | 'fence' | 'json' | 'closed' | 'several' | 'wrapped' | 'key' | 'extra' | 'type' | 'label' | 'marks' | 'case' | 'table'

/** A reply that is being read, with its problems and repairs. */
export class Reading {
  readonly problems: Problem[] = []
  readonly repaired: Problem[] = []
  /** What could be read of a reply that is refused. */
  partial: unknown

  constructor(readonly source: Source) {}

  get text(): string {
    return this.source.text
  }

  readonly report = (problem: Problem): void => {
    this.problems.push(problem)
  }

  repair(repair: Repair, message: string, span?: { readonly start: number; readonly end: number }): void {
    this.repaired.push(problem('reply-repaired', { repair, detail: message }, span && this.span(span.start, span.end)))
  }

  span(start: number, end: number): Span {
    return this.source.span(start, end)
  }

  /** A reading of the same reply whose findings count only if it is taken. */
  attempt(): Reading {
    return new Reading(this.source)
  }

  take(other: Reading): void {
    this.problems.push(...other.problems)
    this.repaired.push(...other.repaired)
    this.partial = other.partial
  }
}
