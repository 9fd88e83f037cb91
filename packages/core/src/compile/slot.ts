import { defined } from '../invariant.js'
import { textOrigin, drawsOnMore, type Context } from './context.js'
import { indentedOp } from './indent.js'
import { compileAlternatives, type Alternative } from './value.js'
import { continuationOf, type LineState } from './line.js'
import { memoizeWriter } from './memoize-writer.js'
import { problem } from '../problems/problem.js'
import { bothWays, type Op, type Run } from '../render/run.js'
import { described, type Continuation, type PlainValue } from '../render/shape.js'
import type { TextOrigin } from '../render/trace.js'
import type { Slot, SlotValue } from '../text/nodes.js'
import { holds, isEmpty, isMissing, unitAt } from '../values/data.js'
import { Weave } from '../values/formats/format.js'
import { isName } from '../values/names.js'
import { isFreeText, type ValueType } from '../values/types.js'
import { write } from '../values/write.js'

/** A slot's step. `after` tells whether only spaces follow on the line, which a fence needs. */
export function compileSlot(slot: Slot, context: Context, line: LineState, restAlone: boolean): Op | PlainValue | undefined {
  const { value } = slot
  const mention = compileMention(slot, context)
  if (mention) return mention
  const alternatives = compileAlternatives(value, context)
  if (!alternatives) return undefined
  const alone = restAlone && line.prefix !== undefined && !line.repeated && context.beside !== true
  if (alternatives.some((a) => a.inline)) return compileBoundFence(slot, alternatives, context, line, alone)
  for (const [i, call] of value.formats.entries()) {
    if (call.name !== 'fenced' || i < value.formats.length - 1) continue
    if (!checkFence(value, alternatives, context, alone)) return undefined
  }
  for (const a of alternatives) {
    const free = a.untrusted && !a.chain.fence && isFreeText(a.chain.type)
    context.shared.untrusted ||= free
    if (free && context.role !== 'assistant') {
      const uses = context.via ? [{ message: 'used here', span: context.via.span }] : []
      context.shared.report(problem('untrusted-unfenced', { path: a.text }, slot.span, uses))
      return undefined
    }
  }
  const more = continuationOf(line.prefix ?? '')
  const plain = !more && plainValue(value, alternatives, slot, context)
  if (plain) return plain
  const writers = alternatives.map((a) => writer(a, slot, context, more))
  const { fallback } = value
  const only = defined(alternatives[0])
  const spelled = fallback && { text: fallback.spelled, from: textOrigin(context, fallback.span) }
  const step = writers.length === 1 && !fallback ? single(only, defined(writers[0]), slot) : firstOf(alternatives, writers, spelled)
  const parts = alternatives.map((a, i) => ({ ...a, write: defined(writers[i]) }))
  return described(step, { kind: 'slot', parts, fallback: fallback?.spelled, more })
}

/** Writes the first of several values that is not empty, else the fallback. */
function firstOf(
  alternatives: readonly Alternative[],
  writers: readonly ((value: unknown, run: Run) => void)[],
  fallback: { readonly text: string; readonly from: TextOrigin } | undefined,
): Op {
  return (run) => {
    for (let i = 0; i < alternatives.length; i++) {
      const value = defined(alternatives[i]).get(run)
      if (isEmpty(value)) continue
      defined(writers[i])(value, run)
      return
    }
    if (fallback) run.write(fallback.text, fallback.from)
  }
}

/** `{fence.note}`: the tag of a fence, by the name that it has in this rendering. A variable of this name goes first. */
function compileMention({ value, span }: Slot, context: Context): Op | undefined {
  const { scope, shared } = context
  const [path, more] = value.paths
  const [step, further] = path?.steps ?? []
  const named = path?.name === 'fence' && step?.kind === 'name' && !further && !more && !value.fallback && value.formats.length === 0
  if (!named || scope.find('fence')) return undefined
  const { key } = step
  shared.mentions.push({ name: key, span })
  drawsOnMore(shared)
  const from = textOrigin(context, span, { kind: 'made' })
  return (run) => run.write(run.nameTag(key), from)
}

/** A bound text that contains fences is written unchanged, like a snippet: in a value, their tags would look like a value's. */
function compileBoundFence(
  { value, span }: Slot,
  alternatives: readonly Alternative[],
  context: Context,
  line: LineState,
  alone: boolean,
): Op | undefined {
  const { report } = context.shared
  const [only, another] = alternatives
  if (another || value.fallback || value.formats.length > 0)
    report(problem('fence-misplaced', { where: `in "${defined(only).text}", which is bound to a fenced text and changed here` }, span))
  else if (!alone) report(problem('fence-not-alone', { path: defined(only).text }, span))
  context.shared.untrusted ||= defined(only).untrusted
  if (defined(only).untrusted && context.role !== 'assistant') report(problem('untrusted-unfenced', { path: defined(only).text }, span))
  const more = continuationOf(line.prefix ?? '')
  const { inline } = defined(only)
  return inline && more ? indentedOp(inline, more, textOrigin(context, span, { kind: 'made' }), false) : inline
}

/** A declared text that is written as it is. */
function plainValue(value: SlotValue, [only]: readonly Alternative[], slot: Slot, context: Context): PlainValue | undefined {
  if (!only?.direct || value.paths.length > 1 || value.fallback || value.formats.length > 0) return undefined
  const { kind } = only.type
  if (kind !== 'text' && kind !== 'choice' && kind !== 'date' && kind !== 'date-time') return undefined
  return {
    kind: 'value',
    ...only.direct,
    free: kind === 'text',
    from: textOrigin(context, slot.span, { kind: 'value', fromValue: true, path: only.steps }),
  }
}

function single(only: Alternative, writeValue: (value: unknown, run: Run) => void, slot: Slot): Op {
  const { get, open, text } = only
  if (!open) {
    // What is declared has been accepted: missing is null there, and nothing else.
    return (run) => {
      const value = get(run)
      if (value !== null && value !== undefined) writeValue(value, run)
    }
  }
  return (run) => {
    const value = get(run)
    if (!isMissing(value)) writeValue(value, run)
    else if (value === undefined) run.fail(problem('step-not-found', { path: text }, slot.span))
  }
}

/** A fence stands alone on its line, and its tag is a name: its own, or the last of its path. */
function checkFence(value: SlotValue, alternatives: readonly Alternative[], context: Context, alone: boolean): boolean {
  const text = defined(alternatives[0]).text
  if (!alone) {
    context.shared.report(problem('fence-not-alone', { path: text }, value.span))
    return false
  }
  for (const [i, a] of alternatives.entries()) {
    const tag = defined(a.chain.fence).tag
    const step = defined(value.paths[i]).steps.at(-1)
    const own = step ? (step.kind === 'name' ? step.key : undefined) : defined(value.paths[i]).name
    if (tag === undefined ? own === undefined : !isName(tag)) {
      context.shared.report(problem('fence-tag-invalid', { tag }, value.span))
      return false
    }
  }
  return true
}

/** Writes a value that is there: through its formats, in its default form, within its fence. */
function writer(a: Alternative, slot: Slot, context: Context, more: Continuation | undefined): (value: unknown, run: Run) => void {
  const path = { path: a.steps }
  const kind = context.kind === 'example' || context.kind === 'persona' ? context.kind : 'value'
  const format = a.chain.last === undefined ? {} : { format: a.chain.last }
  const from = textOrigin(context, slot.span, { kind, fromValue: context.kind !== 'persona', ...path, ...format })
  const made = textOrigin(context, slot.span, { kind: 'made', ...path, ...format })
  const { apply, type, fence } = a.chain
  const plain = type.kind === 'text' || type.kind === 'choice' || type.kind === 'date' || type.kind === 'date-time'
  // Only free text can hold a character of a fence's tag.
  const free = isFreeText(type)
  const put = more ? continued(more, from, made) : (text: string, run: Run) => (free ? run.writeValue(text, from) : run.write(text, from))
  if (fence) return fenceWriter(a, fence.tag, put, made, more, context.shared)
  if (!apply && plain && !more) return (value, run) => run.writeValue(value as string, from)
  if (!apply) return (value, run) => put(write(value, type), run)
  const formatted = (value: unknown, run: Run) => writeResult(apply(value, run), type, run, put, made, more)
  return a.chain.pure ? memoizeWriter(formatted) : formatted
}

function writeResult(
  result: unknown,
  type: ValueType,
  run: Run,
  put: (text: string, run: Run) => void,
  made: TextOrigin,
  more: Continuation | undefined,
): void {
  if (result instanceof Weave) {
    if (!more && !run.trace) put(result.text, run)
    else result.parts().forEach((part, i) => (i % 2 === 0 ? writeMade(part, run, made, more) : put(part, run)))
  } else put(typeof result === 'string' ? result : write(result, type), run)
}

function writeMade(text: string, run: Run, made: TextOrigin, more: Continuation | undefined): void {
  if (text !== '') run.write(more ? indented(text, more) : text, made)
}

const SPACE = 32
const BLANK_LINE = /^[ \t]*(?:\n|$)/

function fenceWriter(
  a: Alternative,
  tag: string | undefined,
  put: (text: string, run: Run) => void,
  made: TextOrigin,
  more: Continuation | undefined,
  shared: Context['shared'],
) {
  const { apply, type } = a.chain
  const name = tag ?? a.text.split('.').at(-1) ?? a.text
  shared.fences.add(name)
  const own = { ...made, tag: true }
  const lineEnd = bothWays(`\n${more?.lead ?? ''}`)
  const beforeBlank = bothWays(`\n${more?.blank ?? ''}`)
  return (value: unknown, run: Run): void => {
    const result = apply ? apply(value, run) : value
    const text = result instanceof Weave ? result.text : write(result, type)
    if (text === '') return
    const written = run.tagFor(name)
    run.write(`<${written}>`, own)
    run.writeBothWays(more && unitAt(text, 0) <= SPACE && BLANK_LINE.test(text) ? beforeBlank : lineEnd, made)
    put(text, run)
    run.writeBothWays(lineEnd, made)
    run.write(`</${written}>`, own)
  }
}

/** Writes text whose further lines go on at the slot's column; what is put before them is made, not given. */
function continued(more: Continuation, from: TextOrigin, made: TextOrigin): (text: string, run: Run) => void {
  return (text, run) => {
    if (!holds(text, '\n')) {
      run.writeValue(text, from)
      return
    }
    if (!run.trace) {
      run.writeValue(indented(text, more), from)
      return
    }
    text.split('\n').forEach((line, i) => {
      if (i > 0) {
        run.writeValue('\n', from)
        run.write(line.trim() === '' ? more.blank : more.lead, made)
      }
      run.writeValue(line, from)
    })
  }
}

function indented(text: string, more: Continuation): string {
  let out = ''
  let from = 0
  for (let position = text.indexOf('\n'); position >= 0; position = text.indexOf('\n', from)) {
    const end = text.indexOf('\n', position + 1)
    const line = text.slice(position + 1, end < 0 ? text.length : end)
    out += `${text.slice(from, position)}\n${line.trim() === '' ? more.blank : more.lead}`
    from = position + 1
  }
  return out + text.slice(from)
}
