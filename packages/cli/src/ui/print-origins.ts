import { defined } from 'dunelight/host'
import type { FinishedTurn, Origin } from 'dunelight'
import { printPart, turnHead } from './print-turns.js'
import type { Colors } from './context.js'

/**
 * Turns with their origins, readable without colour: each line of text on its own line, the origins of its spans in the margin. Values
 * stand between ‹ and ›, to tell them from fixed text. If the terminal's width is known, long lines continue below the text.
 */
export function printOrigins(turns: readonly FinishedTurn[], c: Colors, columns = Infinity): string {
  const width = Math.max(20, columns - MARGIN - 3)
  const parts = (turn: FinishedTurn) => (turn.parts ?? []).map((part) => `${printPart(part, c)}\n`).join('')
  return turns.map((turn) => `${turnHead(turn, c)}\n${turnLines(turn, c, width)}${parts(turn)}`).join('\n')
}

interface Shown {
  text: string
  length: number
  readonly names: Set<string>
}

const MARGIN = 34
const newLine = (): Shown => ({ text: '', length: 0, names: new Set() })

function turnLines(turn: FinishedTurn, c: Colors, width: number): string {
  const lines: Shown[] = [newLine()]
  for (const origin of turn.origins) {
    const parts = turn.text.slice(origin.start, origin.end).split('\n')
    parts.forEach((part, i) => {
      if (i > 0) lines.push(newLine())
      if (part !== '') defined(lines.at(-1)).names.add(nameOf(origin))
      for (let rest = part; rest !== '';) {
        let line = defined(lines.at(-1))
        if (line.length >= width) lines.push((line = newLine()))
        const piece = fitting(rest, width - line.length)
        line.text += shade(piece, origin, c)
        line.length += piece.length
        rest = rest.slice(piece.length)
        if (rest !== '') lines.push(newLine())
      }
    })
  }
  return lines.map((line) => `${c.dim(margin([...line.names]))} ${line.text}`.trimEnd() + '\n').join('')
}

/** The part that fits, cut after a space if there is one. */
function fitting(text: string, room: number): string {
  if (text.length <= room) return text
  const blank = text.lastIndexOf(' ', room - 1)
  return text.slice(0, blank > 0 ? blank + 1 : room)
}

function margin(names: readonly string[]): string {
  const text = names.join(' ')
  return `${text.length > MARGIN ? `${text.slice(0, MARGIN - 1)}…` : text.padEnd(MARGIN)} │`
}

/** What wrote a span, in short: the path of a value, the file and line of fixed text, the name of a persona. */
function nameOf({ kind, path, format, place, within: [use] }: Origin): string {
  const location = `${place.file.replace(/^[a-z]+\//, '').replace(/\.\w+$/, '')}:${place.line}`
  if (use && use.what !== 'snippet') return `${use.what} ${use.name}`
  // A constant of `with` has no path: the text that it is in names it better.
  if (kind === 'value') return path === undefined || path === '' ? location : `{${path}}`
  if (kind !== 'made') return location
  return path === undefined ? `made ${location}` : `{${path}${format === undefined ? '' : ` as ${format}`}}`
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
