import type { HistoryTurn } from '../artefacts/artefacts.js'
import { problem } from '../problems/problem.js'
import type { Run } from './run.js'
import { exchangesOf, type PastTurn } from '../values/past-turns.js'

/** What remains of a history: its latest exchanges, as many as `last` and the budget allow. An exchange is a user turn with the answers to it. */
export function recentTurns(
  { last = Infinity, budget, from }: HistoryTurn,
  countTokens: (text: string) => number,
): (turns: readonly PastTurn[], run: Run) => readonly PastTurn[] {
  if (last === Infinity && budget === undefined) return (turns) => turns
  return (turns, run) => {
    const kept: PastTurn[] = []
    let left = budget ?? Infinity
    const exchanges = exchangesOf(turns).slice(-last)
    for (const exchange of exchanges.reverse()) {
      left -= budget === undefined ? 0 : exchange.reduce((sum, { text }) => sum + countTokens(text), 0)
      if (left < 0) break
      kept.unshift(...exchange)
    }
    if (budget !== undefined && kept.length === 0 && turns.length > 0)
      (run.warnings ??= []).push(problem('history-over-budget', { name: from.name, budget }, from.span))
    return kept
  }
}
