import { findForms, type TagForm } from './defuse.js'
import { cutPieces, piecesOf, type Piece } from './origins.js'
import { Run, type Choose } from './run.js'
import { Trace } from './trace.js'
import type { Limits, Role } from '../artefacts/artefacts.js'
import { captured } from './capture.js'
import type { Plan, TurnPlan } from './plan.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import type { Locale } from '../values/locale.js'

/** One message of a finished prompt. Its origins are worked out when somebody looks at them. */
export interface Turn {
  readonly role: Role
  readonly text: string
  readonly name?: string
}

export interface RenderedTurn extends Turn {
  readonly pieces: readonly Piece[] | undefined
}

export interface Rendered {
  readonly turns: readonly RenderedTurn[]
  readonly warnings: readonly Problem[]
  /** What `masked` replaced: the sign written and the text that it stands for. */
  readonly masked: ReadonlyMap<string, string>
}

export interface RunSetting {
  readonly locale: Locale
  readonly limits: Limits
  readonly choose: Choose
  readonly traced: boolean
}

/** Runs a plan over accepted values. */
export function renderPlan(plan: Plan, values: readonly unknown[], setting: RunSetting): Rendered {
  const first = runOnce(plan, values, setting, setting.traced)
  const touched = first.run.fences.size > 0 && (first.run.suspect || plan.openEnd) && holdsForeignForms(first)
  // Origins tell which signs were given, so a rendering in which a value meets a fence's tag is done again with them.
  const { run, turns } = touched && !setting.traced ? runOnce(plan, values, setting, true) : first
  const safe = touched ? turns.map((turn) => defused(turn, run.fences)) : turns
  const trimmed = safe.map(trimTurn).filter((turn) => turn.text !== '')
  if (trimmed.length === 0) throw new ProblemError([problem('no-turn-left', {})])
  checkBytes(trimmed, setting.limits)
  return {
    turns: setting.traced ? trimmed : trimmed.map((t) => (t.pieces ? { ...t, pieces: undefined } : t)),
    warnings: neighbours(trimmed),
    masked: run.masks.found,
  }
}

function runOnce(plan: Plan, values: readonly unknown[], setting: RunSetting, traced: boolean): { run: Run; turns: RenderedTurn[] } {
  const start = new Run(values, setting.locale, setting.limits, plan.guarded, setting.choose)
  const locale = plan.locale?.(start) ?? setting.locale
  const run = locale === setting.locale ? start : new Run(values, locale, setting.limits, plan.guarded, setting.choose)
  if (plan.persona) run.persona = plan.persona(run)
  if (plan.output) run.output = plan.output(run)
  const turns: RenderedTurn[] = []
  for (const turn of plan.turns) runTurn(turn, run, traced, turns)
  return { run, turns }
}

function runTurn(turn: TurnPlan, run: Run, traced: boolean, turns: RenderedTurn[]): void {
  switch (turn.kind) {
    case 'text':
      turns.push(written(turn.role, turn.name, run, traced, turn.op))
      return
    case 'history': {
      for (const { role, text } of (turn.get(run) as { role: Role; text: string }[] | null) ?? []) {
        const { fence } = turn
        const op = () => {
          if (role !== 'user' || fence === undefined) {
            run.writeGiven(text, turn.assistant)
            return
          }
          run.fence(fence)
          run.write(`<${fence}>\n`, turn.made)
          run.writeGiven(text, turn.user)
          run.write(`\n</${fence}>`, turn.made)
        }
        turns.push(written(role, undefined, run, traced, op))
      }
      return
    }
    case 'examples': {
      const live = turn.live && captured(turn.live, run)
      for (const example of turn.cases) {
        run.example = example
        if (live !== undefined && captured(turn.ask, run) === live) continue
        turns.push(written('user', undefined, run, traced, turn.ask), written('assistant', undefined, run, traced, turn.answer))
      }
    }
  }
}

function written(role: Role, name: string | undefined, run: Run, traced: boolean, op: (run: Run) => void): RenderedTurn {
  run.out = ''
  run.trace = traced ? new Trace() : undefined
  op(run)
  const pieces = run.trace && piecesOf(run.trace)
  return name === undefined ? { role, text: run.out, pieces } : { role, name, text: run.out, pieces }
}

const BLANK_HEAD = /^(?:[ \t]*\n)+/
const BLANK_TAIL = /(?:\n[ \t]*)+$/

/** A turn loses blank lines at both ends, and nothing else (language §5.5). */
function trimTurn(turn: RenderedTurn): RenderedTurn {
  const { text } = turn
  const first = text.charCodeAt(0)
  const last = text.charCodeAt(text.length - 1)
  if (first > 32 && last > 32) return turn
  if (/^[ \t\n]*$/.test(text)) return { ...turn, text: '', pieces: turn.pieces && [] }
  const start = BLANK_HEAD.exec(text)?.[0].length ?? 0
  const end = lastLineEnd(text)
  return start === 0 && end === text.length
    ? turn
    : { ...turn, text: text.slice(start, end), pieces: turn.pieces && cutPieces(turn.pieces, start, end) }
}

/** Where the text ends without its blank lines: looked for from the end, as a pattern would try every line end before. */
function lastLineEnd(text: string): number {
  let from = text.length
  while (from > 0 && ' \t\n'.includes(text[from - 1]!)) from--
  const tail = BLANK_TAIL.exec(text.slice(from))
  return tail ? from + tail.index : text.length
}

/** Whether the turns hold forms of their fences' tags beside those that the fences wrote. */
function holdsForeignForms({ run, turns }: { run: Run; turns: readonly RenderedTurn[] }): boolean {
  const count = turns.reduce((sum, turn) => sum + findForms(turn.text, run.fences).length, 0)
  return count !== run.fenceForms
}

function defused(turn: RenderedTurn, tags: ReadonlySet<string>): RenderedTurn {
  const pieces = turn.pieces ?? []
  const given = givenIn(pieces)
  const forms = findForms(turn.text, tags).filter((form) => given(form.start, form.end))
  return forms.length === 0 ? turn : { ...turn, ...replaceIn(turn.text, pieces, forms) }
}

/** Whether any sign of a stretch was given at rendering. */
function givenIn(pieces: readonly Piece[]): (start: number, end: number) => boolean {
  return (start, end) => {
    let low = 0
    let high = pieces.length
    while (low < high) {
      const middle = (low + high) >> 1
      if (pieces[middle]!.end <= start) low = middle + 1
      else high = middle
    }
    for (let i = low, from = pieces[low - 1]?.end ?? 0; i < pieces.length && from < end; from = pieces[i]!.end, i++)
      if (pieces[i]!.descent.given) return true
    return false
  }
}

/** Brackets, look-alikes and references of these forms become `(` and `)`. */
function replaceIn(text: string, pieces: readonly Piece[], forms: readonly TagForm[]): { text: string; pieces: Piece[] } {
  const places = forms.flatMap(({ opener, closer }) => [{ ...opener, sign: '(' }, ...(closer ? [{ ...closer, sign: ')' }] : [])])
  let out = ''
  let at = 0
  for (const { start, end, sign } of places) {
    out += text.slice(at, start) + sign
    at = end
  }
  let shift = 0
  let next = 0
  const moved = pieces.map((piece) => {
    for (let place = places[next]; place && place.start < piece.end; place = places[++next]) shift += place.end - place.start - 1
    return { ...piece, end: piece.end - shift }
  })
  const whole = out + text.slice(at)
  return { text: whole, pieces: settleEnds(moved, whole.length) }
}

/** A reference that ran over a piece's end shrinks to one sign: ends stay in order and within the text. */
function settleEnds(pieces: readonly Piece[], length: number): Piece[] {
  const settled: Piece[] = []
  for (const piece of pieces) {
    const end = Math.min(Math.max(piece.end, settled.at(-1)?.end ?? 0), length)
    if (end > (settled.at(-1)?.end ?? 0)) settled.push({ ...piece, end })
  }
  const last = settled.at(-1)
  if (last && last.end < length) settled[settled.length - 1] = { ...last, end: length }
  return settled
}

/** UTF-8 is at most three times as long as UTF-16 counts: only then it is counted. */
function checkBytes(turns: readonly RenderedTurn[], limits: Limits): void {
  const length = turns.reduce((sum, turn) => sum + turn.text.length, 0)
  if (length * 3 <= limits.renderingBytes) return
  const bytes = turns.reduce((sum, turn) => sum + utf8Length(turn.text), 0)
  if (bytes > limits.renderingBytes) throw new ProblemError([problem('bytes-over-limit', { limit: limits.renderingBytes })])
}

function utf8Length(text: string): number {
  let bytes = 0
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i)
    if (unit < 0x80) bytes += 1
    else if (unit < 0x800) bytes += 2
    else if (unit >= 0xd800 && unit < 0xdc00) {
      bytes += 4
      i++
    } else bytes += 3
  }
  return bytes
}

function neighbours(turns: readonly RenderedTurn[]): Problem[] {
  const found = turns.find((turn, i) => i > 0 && turns[i - 1]!.role === turn.role)
  return found ? [problem('roles-repeat', { role: found.role })] : []
}
