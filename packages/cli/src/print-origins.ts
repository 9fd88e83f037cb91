import type { FinishedTurn, Origin } from 'dunelight'
import type { Colors } from './surroundings.js'

/**
 * Turns with their origins, readable without colour: each line of text in its own line, and in the margin what wrote its stretches, in
 * order. Values stand between ‹ and ›, so that they can be told from fixed text on one line.
 */
export function printOrigins(turns: readonly FinishedTurn[], c: Colors): string {
  return turns.map((turn) => `${c.bold(c.cyan(`── ${turn.role} `.padEnd(60, '─')))}\n${turnLines(turn, c)}`).join('\n')
}

interface Shown {
  text: string
  length: number
  readonly names: string[]
}

const MARGIN = 34

function turnLines(turn: FinishedTurn, c: Colors): string {
  const lines: Shown[] = [{ text: '', length: 0, names: [] }]
  for (const origin of turn.origins) {
    const name = nameOf(origin)
    turn.text
      .slice(origin.start, origin.end)
      .split('\n')
      .forEach((part, i) => {
        if (i > 0) lines.push({ text: '', length: 0, names: [] })
        const line = lines.at(-1)!
        if (part === '') return
        line.text += shade(part, origin, c)
        line.length += part.length
        if (line.names.at(-1) !== name) line.names.push(name)
      })
  }
  return lines.map((line) => `${c.dim(margin(line.names))} ${line.text}`.trimEnd() + '\n').join('')
}

function margin(names: readonly string[]): string {
  const text = names.join(' + ')
  return `${text.length > MARGIN ? `${text.slice(0, MARGIN - 1)}…` : text.padEnd(MARGIN)} │`
}

/** What wrote a stretch, as short as it can be said: the path of a value, or the file and line of fixed text. */
function nameOf(origin: Origin): string {
  const [use] = origin.within
  const place = `${origin.place.file.replace(/^[a-z]+\//, '').replace(/\.\w+$/, '')}:${origin.place.line}`
  switch (origin.kind) {
    case 'value':
      return `{${origin.path ?? ''}}`
    case 'made':
      return origin.path === undefined ? `made ${place}` : `{${origin.path}${origin.format === undefined ? '' : ` as ${origin.format}`}}`
    case 'fixed':
      return place
    case 'snippet':
      return place
    default:
      return `${origin.kind} ${use?.name ?? place}`
  }
}

function shade(text: string, origin: Origin, c: Colors): string {
  switch (origin.kind) {
    case 'value':
      return c.green(`‹${text}›`)
    case 'made':
      return c.yellow(text)
    case 'snippet':
      return c.blue(text)
    case 'persona':
      return c.magenta(text)
    case 'example':
      return c.cyan(text)
    case 'output':
      return c.yellow(text)
    case 'fixed':
      return text
  }
}
