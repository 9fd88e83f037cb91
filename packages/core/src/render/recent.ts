import type { HistoryTurn } from '../artefacts/artefacts.js'
import { problem } from '../problems/problem.js'
import type { Run } from './run.js'

/** An earlier turn, as a variable of the type `turns` holds it. */
export interface PastTurn {
  readonly role: 'user' | 'assistant'
  readonly text: string
}

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

/** Each begins with a user turn; what comes before the first one is an exchange of its own. */
function exchangesOf(turns: readonly PastTurn[]): PastTurn[][] {
  const exchanges: PastTurn[][] = []
  for (const turn of turns) {
    const current = exchanges.at(-1)
    if (current && (turn.role !== 'user' || current.at(-1)?.role === 'user')) current.push(turn)
    else exchanges.push([turn])
  }
  return exchanges
}
