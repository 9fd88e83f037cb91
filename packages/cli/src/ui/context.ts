import type { Readable, Writable } from 'node:stream'
import pc from 'picocolors'
import { printProblem, type Problem } from 'dunelight'
import { COLOUR, shown } from './streams.js'
import type { Paint } from 'dunelight/parts'

/** What a command sees of the world. Tests hand in their own. */
export interface CommandContext {
  readonly argv: readonly string[]
  readonly stdin: Readable
  readonly stdout: Writable & { isTTY?: boolean; columns?: number }
  readonly stderr: Writable & { isTTY?: boolean; columns?: number }
  readonly env: Readonly<Record<string, string | undefined>>
  readonly signal?: AbortSignal
  /** Whether everything is printed: each rejected record, each unused column, each retry. */
  readonly isVerbose?: boolean
}

export const EXIT = { done: 0, problems: 1, use: 2, rejected: 3, interrupted: 130 } as const

const COLOURS = ['red', 'yellow', 'green', 'blue', 'cyan', 'magenta', 'dim', 'bold'] as const
export type Colors = Readonly<Record<(typeof COLOURS)[number], (text: string) => string>>

const ON = pc.createColors(true)
const coloured = Object.fromEntries(COLOURS.map((name) => [name, (text: string) => ON[name](shown(text)).replaceAll('\u001b[', COLOUR)]))
const plain = Object.fromEntries(COLOURS.map((name) => [name, (text: string) => text]))

/** Colour on a terminal, or where FORCE_COLOR asks for it; never against NO_COLOR. */
export function colorsFor(stream: { isTTY?: boolean }, env: CommandContext['env']): Colors {
  const forced = env['FORCE_COLOR'] ?? ''
  const isWanted = forced === '' ? (stream.isTTY ?? false) && env['TERM'] !== 'dumb' : forced !== '0' && forced !== 'false'
  const on = isWanted && (env['NO_COLOR'] ?? '') === ''
  return (on ? coloured : plain) as Colors
}

export function paintFor(c: Colors): Paint {
  return { error: c.red, warning: c.yellow, dim: c.dim, bold: c.bold }
}

/** Writes problems to standard error, each with its place and its fix. */
export function sayProblems({ stderr, env }: CommandContext, problems: readonly Problem[]): void {
  const paint = paintFor(colorsFor(stderr, env))
  for (const p of problems) stderr.write(`${printProblem(p, paint)}\n`)
}

/** The command was called wrongly: a message on stderr, exit code 2. */
export class WrongUse extends Error {
  override readonly name: string = 'WrongUse'

  constructor(
    message: string,
    readonly hint?: string,
  ) {
    super(message)
  }
}

const NUMBERS = new Intl.NumberFormat('en', { maximumFractionDigits: 0 })

/** A count as people read it: `12,345`. */
export function formatCount(count: number): string {
  return NUMBERS.format(count)
}

export function plural(count: number, text: string, many = `${text}s`): string {
  return `${formatCount(count)} ${count === 1 ? text : many}`
}
