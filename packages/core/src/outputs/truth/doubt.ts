import type { TruthFacts } from './facts.js'
import { problem, type Problem } from '../../problems/problem.js'

/** Unsupported: invented, or taken from an example that is about something else. */
export function doubt(inExample: boolean, what: string, text: string, facts: TruthFacts): Problem {
  return problem(inExample ? 'reply-from-example' : 'reply-unsupported', { what, text }, facts.placeOf(text))
}
