import type { Part, Turn } from 'dunelight'
import { plural, type Colors } from './context.js'

/** Turns for people: the role above, the text below, then the attachments. */
export function printTurns(turns: readonly Turn[], c: Colors): string {
  return turns
    .map((turn) => `${turnHead(turn, c)}\n${turn.text}\n${(turn.parts ?? []).map((part) => `${printPart(part, c)}\n`).join('')}`)
    .join('\n')
}

export function turnHead(turn: Turn, c: Colors): string {
  return c.bold(c.cyan(`── ${turn.role} ${turn.name === undefined ? '' : `(${turn.name}) `}`.padEnd(60, '─')))
}

/** A turn's attachment, in a line. */
export function printPart(part: Part, c: Colors): string {
  const size = part.kind === 'text' ? plural(part.text.length, 'character') : plural(part.size, 'byte')
  return c.yellow(`+ ${part.name} as ${part.kind}: ${part.mediaType}, ${size}, from ${part.from}`)
}
