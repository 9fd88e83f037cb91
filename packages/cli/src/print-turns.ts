import type { Turn } from 'dunelight'
import type { Colors } from './surroundings.js'

/** Turns as a person reads them: the role above, the text below. */
export function printTurns(turns: readonly Turn[], c: Colors): string {
  return turns
    .map(
      (turn) => `${c.bold(c.cyan(`── ${turn.role} ${turn.name === undefined ? '' : `(${turn.name}) `}`.padEnd(60, '─')))}\n${turn.text}\n`,
    )
    .join('\n')
}
