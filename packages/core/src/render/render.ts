import { defined } from '../invariant.js'
import { defuse } from './defuse.js'
import { Run, type Choose, type SetPick } from './run.js'
import { Trace } from './trace.js'
import type { Form } from '../outputs/form.js'
import type { Limits, Role } from '../artefacts/artefacts.js'
import { jsonBytes, utf8Bytes } from './json-bytes.js'
import { withoutPersonal } from './personal.js'
import { partsOf, safePart, type AttachmentPlan, type Part } from './parts.js'
import type { TurnMemo } from './memo.js'
import type { Plan, TurnPlan } from './plan.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import type { Locale } from '../values/locale.js'
import { SaidTurn } from '../values/past-turns.js'
import { rememberLong } from '../values/remember.js'

/** One message of a rendered prompt. Its origins are computed when they are first read. */
export interface Turn {
  readonly role: Role
  readonly text: string
  readonly name?: string
  /** The attachments of the turn. */
  readonly parts?: readonly Part[]
}

export interface RenderedTurn extends Turn {
  readonly trace: Trace | undefined
}

/** A turn as a caller gets it, without the trace of its text. */
export function plainTurn({ role, text, name, parts }: RenderedTurn): Turn {
  return name === undefined && !parts ? { role, text } : { role, ...(name !== undefined && { name }), text, ...(parts && { parts }) }
}

export interface Rendered {
  readonly turns: readonly RenderedTurn[]
  readonly warnings: readonly Problem[]
  /** Which cases of which example sets were written, and why. */
  readonly picks: readonly SetPick[]
  /** What `masked` replaced: the character written and the text that it stands for. */
  readonly masked: ReadonlyMap<string, string>
}

export interface RunSetting {
  readonly locale: Locale
  readonly limits: Limits
  readonly choose: Choose
  /** A number for a name, by seed and record. */
  readonly random: (name: string) => number
  readonly traced: boolean
}

/** Runs a plan over accepted values. */
export function renderPlan(plan: Plan, values: readonly unknown[], setting: RunSetting): Rendered {
  const isTraced = setting.traced || plan.personal.paths.length > 0
  const first = runOnce(plan, values, setting, isTraced)
  const suspect = isSuspectRun(first.run, plan)
  // Origins tell which characters come from values, so a rendering whose values could hold a fence's tag is done again with them.
  const { run, turns: written } = suspect && !isTraced ? runOnce(plan, values, setting, true) : first
  const turns = withoutPersonal(written, plan.personal, run)
  const whole = suspect ? turns.map((turn) => defuse(turn, run.fences)) : turns
  const safe = run.attached ? whole.map((turn) => withSafeParts(turn, run.fences)) : whole
  const trimmed: RenderedTurn[] = []
  for (const turn of safe) {
    const renderedTurn = trimTurn(turn)
    if (renderedTurn.text !== '' || renderedTurn.parts) trimmed.push(renderedTurn)
  }
  if (trimmed.length === 0) throw new ProblemError([problem('no-turn-left', {})])
  checkBytes(trimmed, setting.limits)
  return {
    turns: trimmed,
    warnings: run.warnings ? [...neighbours(trimmed), ...run.warnings] : neighbours(trimmed),
    picks: run.picks ?? NO_PICKS,
    masked: run.replaced?.originals ?? NOTHING_MASKED,
  }
}

/** The form in which a rendering asks for its answer; undefined where the prompt has no output, or none for these values. */
export function formOf(plan: Plan, values: readonly unknown[], setting: RunSetting): Form | undefined {
  if (!plan.output) return undefined
  const run = beginRun(plan, values, setting)
  return plan.forms.get(plan.output(run))?.form(run)
}

/** A turn in UTF-8, one character for each byte. */
export interface ByteTurn {
  readonly role: Role
  readonly name: string | undefined
  /** The text as it stands between the quotes of a JSON string. */
  readonly text: string
  /** The attachments, as JSON. */
  readonly parts: string | undefined
}

/**
 * The turns as bytes. Where nothing needs a second look, text goes straight into them, its fixed parts made bytes when they were compiled.
 */
export function renderBytes(plan: Plan, values: readonly unknown[], setting: RunSetting): readonly ByteTurn[] {
  const quick = plan.personal.paths.length === 0 ? quickBytes(plan, values, setting) : undefined
  return quick ?? bytesOf(renderPlan(plan, values, setting).turns)
}

/** The turns as a JSON list, the same that `JSON.stringify` would write, as bytes. */
export function byteList(turns: readonly ByteTurn[]): string {
  let list = ''
  for (const { role, name, text, parts } of turns) {
    const named = name === undefined ? '' : `"name":"${jsonBytes(name)}",`
    const attached = parts === undefined ? '' : `,"parts":${parts}`
    list += `${list === '' ? '[' : ','}{"role":"${role}",${named}"text":"${text}"${attached}}`
  }
  return `${list}]`
}

const longJson = rememberLong(jsonBytes)

export function bytesOf(turns: readonly Turn[]): ByteTurn[] {
  return turns.map(({ role, name, text, parts }) => ({
    role,
    name,
    text: longJson(text),
    parts: parts && utf8Bytes(JSON.stringify(parts)),
  }))
}

/** Undefined if the turns have to be checked again as text. */
function quickBytes(plan: Plan, values: readonly unknown[], setting: RunSetting): readonly ByteTurn[] | undefined {
  const { limits } = setting
  let done
  try {
    done = runOnce(plan, values, setting, false, true)
  } catch (fault) {
    // Escaped text is longer than the text, and may seem to be over its limit.
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
  const { run } = done
  if (isSuspectRun(run, plan) || run.attached) return undefined
  let length = 0
  const turns: ByteTurn[] = []
  for (const { role, name, text: whole } of done.turns) {
    const text = trimJsonTail(whole)
    if (!beginsFirmly(text)) return undefined
    length += text.length
    turns.push({ role, name, text, parts: undefined })
  }
  return length === 0 || length > limits.renderingBytes ? undefined : turns
}

/** Whether a turn's text, escaped, begins with a character: no empty line has to be removed, and the turn is not empty. */
function beginsFirmly(text: string): boolean {
  const first = text.charCodeAt(0)
  return first > 32 && (first !== 92 || (text[1] !== 'n' && text[1] !== 't'))
}

/** Escaped text without the empty lines at its end. */
function trimJsonTail(text: string): string {
  let position = text.length
  let end = position
  for (;;) {
    const last = text.charCodeAt(position - 1)
    if (last === 32) position--
    else if ((last === 110 || last === 116) && isEscape(text, position - 2)) {
      position -= 2
      if (last === 110) end = position
    } else return end === text.length ? text : text.slice(0, end)
  }
}

/** Whether the backslash at `at` begins an escape, and is not the second half of one. */
function isEscape(text: string, position: number): boolean {
  let count = 0
  while (text.charCodeAt(position - count) === 92) count++
  return count % 2 === 1
}

/** Whether a value of a rendering could begin a form of a fence's tag, or end one that fixed text begins. */
function isSuspectRun({ fences, suspect }: Run, { openEnd }: Plan): boolean {
  return fences.length > 0 && (suspect || openEnd)
}

/** A rendering that has begun: its persona, its output and its locale are known. */
export function startRun(plan: Plan, values: readonly unknown[], setting: RunSetting, json: boolean): Run {
  const run = beginRun(plan, values, setting)
  if (plan.persona) run.persona = plan.persona(run)
  if (plan.output) run.output = plan.output(run)
  run.json = json
  return run
}

function beginRun(plan: Plan, values: readonly unknown[], setting: RunSetting): Run {
  const { limits, choose, random } = setting
  const { guarded, nonce, personal } = plan
  const start = new Run(values, setting.locale, limits, guarded, nonce, choose, random, personal.detectorFor)
  const locale = plan.locale?.(start) ?? setting.locale
  return locale === setting.locale ? start : new Run(values, locale, limits, guarded, nonce, choose, random, personal.detectorFor)
}

function runOnce(
  plan: Plan,
  values: readonly unknown[],
  setting: RunSetting,
  traced: boolean,
  json = false,
): { run: Run; turns: RenderedTurn[] } {
  const run = startRun(plan, values, setting, json)
  const turns: RenderedTurn[] = []
  for (const turn of plan.turns) runTurn(turn, run, traced, turns)
  return { run, turns }
}

function runTurn(turn: TurnPlan, run: Run, traced: boolean, turns: RenderedTurn[]): void {
  switch (turn.kind) {
    case 'text': {
      if (!traced && turn.memo) {
        turns.push(remembered(turn.memo, turn, run))
        return
      }
      const renderedTurn = written(turn.role, turn.name, run, traced, turn.op)
      turns.push(turn.attach.length > 0 ? withParts(renderedTurn, turn.attach, run) : renderedTurn)
      return
    }
    case 'each':
      turn.each(run, () => {
        for (const inner of turn.turns) runTurn(inner, run, traced, turns)
      })
      return
    case 'history': {
      for (const past of turn.get(run)) {
        const { role, text } = past
        const { fence } = turn
        const op = () => {
          if (past instanceof SaidTurn && role === 'user') {
            run.write(text, turn.made)
            run.checkLength()
            return
          }
          if (role !== 'user' || fence === undefined) {
            run.writeValue(text, turn.assistant)
            return
          }
          const tag = run.tagFor(fence)
          run.write(`<${tag}>`, turn.tag)
          run.write('\n', turn.made)
          run.writeValue(text, turn.user)
          run.write('\n', turn.made)
          run.write(`</${tag}>`, turn.tag)
        }
        turns.push(written(role, undefined, run, traced, op))
      }
      return
    }
    case 'examples':
      for (const example of turn.pick(run)) {
        run.example = example
        turns.push(written('user', undefined, run, traced, turn.ask), written('assistant', undefined, run, traced, turn.answer))
      }
  }
}

/** The earlier text, or a new one. */
function remembered(memo: TurnMemo, { role, name, op }: Extract<TurnPlan, { kind: 'text' }>, run: Run): RenderedTurn {
  const before = memo.take(run)
  if (before !== undefined) return { role, text: before, trace: undefined, ...(name !== undefined && { name }) }
  const { repeats } = run
  const renderedTurn = written(role, name, run, false, op)
  memo.keep(run, renderedTurn.text, run.repeats - repeats)
  return renderedTurn
}

function withParts(turn: RenderedTurn, attach: readonly AttachmentPlan[], run: Run): RenderedTurn {
  const parts = attach.flatMap((attachment) => partsOf(attachment, run))
  if (parts.length === 0) return turn
  run.attached = true
  return { ...turn, parts }
}

/** The trace that turns are written to, one after the other: rendering never waits, so it is never shared. */
const scratch = new Trace()

function written(role: Role, name: string | undefined, run: Run, traced: boolean, op: (run: Run) => void): RenderedTurn {
  run.out = ''
  run.trace = traced ? scratch : undefined
  // What a rendering that failed left behind is not this one's.
  if (traced) scratch.take()
  // Within repeated turns the loops have a position already.
  if (traced && run.looping) scratch.at(run.positions)
  op(run)
  const text = run.out
  const trace = run.trace?.take()
  return name === undefined ? { role, text, trace } : { role, name, text, trace }
}

const NOTHING_MASKED: ReadonlyMap<string, string> = new Map()

const BLANK_HEAD = /^(?:[ \t]*\n)+/
const BLANK_TAIL = /(?:\n[ \t]*)+$/

/** A turn loses empty lines at both ends, and nothing else (language §5.5). */
function trimTurn(turn: RenderedTurn): RenderedTurn {
  const { text } = turn
  const first = text.charCodeAt(0)
  const last = text.charCodeAt(text.length - 1)
  if (first > 32 && last > 32) return turn
  if (/^[ \t\n]*$/.test(text)) return { ...turn, text: '', trace: undefined }
  const start = BLANK_HEAD.exec(text)?.[0].length ?? 0
  const end = lastLineEnd(text)
  if (start === 0 && end === text.length) return turn
  turn.trace?.shorten(end)
  const trace = start === 0 ? turn.trace : turn.trace?.moved((position) => Math.max(position - start, 0))
  return { ...turn, text: text.slice(start, end), trace }
}

/** Where the text ends without its last empty lines: searched from the end, since a pattern would try every line end. */
function lastLineEnd(text: string): number {
  let from = text.length
  while (from > 0 && ' \t\n'.includes(defined(text[from - 1]))) from--
  const tail = BLANK_TAIL.exec(text.slice(from))
  return tail ? from + tail.index : text.length
}

/** The fences of a rendering are all known only at its end: attached texts are checked against all of them. */
function withSafeParts(turn: RenderedTurn, tags: readonly string[]): RenderedTurn {
  if (!turn.parts) return turn
  const parts = turn.parts.map((part) => (part.kind === 'text' ? safePart(part, tags) : part))
  return { ...turn, parts }
}

/** UTF-8 is at most three times as long as UTF-16 counts: only then it is counted. */
function checkBytes(turns: readonly RenderedTurn[], limits: Limits): void {
  let length = 0
  for (const turn of turns) length += turn.text.length
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

function neighbours(turns: readonly RenderedTurn[]): readonly Problem[] {
  for (let i = 1; i < turns.length; i++)
    if (defined(turns[i - 1]).role === defined(turns[i]).role) return [problem('roles-repeat', { role: defined(turns[i]).role })]
  return NO_PROBLEMS
}

const NO_PROBLEMS: readonly Problem[] = []
const NO_PICKS: readonly SetPick[] = []
