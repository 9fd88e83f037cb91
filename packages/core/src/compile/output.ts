import { defined } from '../invariant.js'
import { compileValue } from './value.js'
import { textOrigin, type Context } from './context.js'
import type { CompileEnv } from './env.js'
import { compileText } from './text.js'
import type { BoundSlot, OutputModel } from '../artefacts/artefacts.js'
import { withBound, type Bound } from '../outputs/bounds.js'
import { Form } from '../outputs/form.js'
import { outlineOf, passageSegment, shapeOf } from '../outputs/outline.js'
import type { TextSegment } from '../outputs/shape.js'
import { problem } from '../problems/problem.js'
import { captured, capturedWhole } from '../render/capture.js'
import { jsonBytes } from '../render/json-bytes.js'
import { emptyRun } from '../render/choose.js'
import type { FormPlan } from '../render/plan.js'
import type { Op, Run } from '../render/run.js'
import type { Span } from '../source/source.js'
import { soleSlot } from '../text/sole-slot.js'
import type { Text } from '../text/nodes.js'

/** An output where it is used. */
export interface CompiledOutput extends FormPlan {
  /** Writes the instruction, in open form. */
  readonly instruct: Op
}

/** Forms that differ only in their bounds are made once for each set of them; more sets than this are no longer kept. */
const MOST_KEPT = 100

/** A form with its instruction, ready to be written. */
interface Ready {
  readonly form: Form
  /** The text before the output's own text, and the same as it is in a JSON string. */
  readonly head: string
  readonly json: string
  /** Whether the output's own text follows. */
  readonly goesOn: boolean
}

/** Compiles an output where it is used: its slots see the prompt's variables. */
export function compileOutput(output: OutputModel, context: Context, shelves: CompileEnv, use: Span): CompiledOutput {
  const via = { what: 'output' as const, name: output.name, span: use, outer: context.via }
  const within: Context = { ...context, kind: 'output', via, place: output.name }
  const { shared } = context
  const { varying } = shared
  const texts = (all: readonly Text[]) => all.map((text) => compileText(text, within, true))
  const required = { must: texts(output.mustSay), mustNot: texts(output.mustNotSay) }
  const own = output.form === 'rows' ? output.row : output.form === 'document' ? output.text : undefined
  const op = own && compileText(own, within, true)
  const textsVary = shared.varying !== varying
  const bounds = output.slots.map((slot) => compileBound(slot, within))
  const ready = (run: Run, values: readonly number[]): Ready => {
    const rendered = (ops: readonly Op[]) => ops.map((op) => captured(op, run).trim()).filter((text) => text !== '')
    const common = {
      name: output.name,
      about: output.about,
      show: output.show ?? 'skeleton',
      mustSay: rendered(required.must),
      mustNotSay: rendered(required.mustNot),
    }
    const bare = shapeOf(output, common, op ? segmentsOf(op, run) : [], shelves.checks.get(output.name))
    const shape = bounds.reduce(
      (shape, { path, bound }, i) => withBound(shape, path, bound, defined(values[i]), (problem) => run.fail(problem)),
      bare,
    )
    const form = new Form(shape, shelves.replyCharacters)
    const { head, own: words } = form.asking
    return { form, head, json: jsonBytes(head), goesOn: words !== '' }
  }
  const kept = new Map<string, Ready>()
  let last: { readonly values: readonly number[]; readonly ready: Ready } | undefined
  const readyFor = (run: Run): Ready => {
    // Most records have the bounds of the one before.
    if (last && bounds.every((bound, i) => bound.get(run) === defined(last).values[i])) return last.ready
    const values = bounds.map((bound) => bound.get(run))
    if (textsVary) return ready(run, values)
    const key = values.length === 0 ? '' : values.join(' ')
    let known = kept.get(key)
    if (!known) {
      known = ready(run, values)
      if (kept.size < MOST_KEPT) kept.set(key, known)
    }
    last = { values, ready: known }
    return known
  }
  const from = textOrigin(within, output.span, { fromValue: textsVary })
  const instruct: Op = (run) => {
    const { head, json, goesOn } = readyFor(run)
    if (textsVary && head !== '') run.writeValue(head, from)
    else {
      run.out += run.json ? json : head
      if (run.trace) run.trace.add(run.out.length, from)
    }
    if (goesOn) op?.(run)
  }
  const constant = shared.varying === varying
  return {
    form: (run) => readyFor(run).form,
    instruct,
    get outline() {
      return outlineOf(output)
    },
    get fixed() {
      return constant ? readyFor(emptyRun()).form : undefined
    },
  }
}

/** What a row or document writes, parted into fixed text, values and passages. */
function segmentsOf(op: Op, run: Run): TextSegment[] {
  const { text, trace, passages } = capturedWhole(op, run)
  const segments: TextSegment[] = []
  const plain = (start: number, end: number) => {
    let position = start
    trace.ends.forEach((stop, i) => {
      if (stop <= position || position >= end) return
      const kind = defined(trace.sources[i]).kind === 'value' ? 'value' : 'fixed'
      const piece = text.slice(position, Math.min(stop, end))
      const last = segments.at(-1)
      if (last?.kind === kind) segments[segments.length - 1] = { kind, text: last.text + piece }
      else segments.push({ kind, text: piece })
      position = Math.min(stop, end)
    })
  }
  let offset = 0
  for (const { name, type, start, end } of passages) {
    plain(offset, start)
    segments.push(passageSegment(name, type, text.slice(start, end)))
    offset = end
  }
  plain(offset, text.length)
  return segments
}

interface CompiledBound extends Bound {
  readonly get: (run: Run) => number
}

function compileBound({ path, bound, text }: BoundSlot, context: Context): CompiledBound {
  const { report } = context.shared
  const span = text.source.span(0, text.source.text.length)
  const slot = soleSlot(text)
  const compiled = slot && compileValue(slot, context)
  const number = compiled?.type.kind === 'integer' || compiled?.type.kind === 'number' || compiled?.type.kind === 'any'
  if (!slot) report(problem('bound-invalid', { bound, why: 'is not a number or a single slot' }, span))
  else if (compiled && !number) report(problem('bound-invalid', { bound, why: `is ${compiled.type.kind}, not a number` }, span))
  else if (compiled?.optional) report(problem('bound-invalid', { bound, why: 'may have no value' }, span))
  return {
    path,
    bound,
    get: (run) => {
      const value = compiled?.get(run)
      return typeof value === 'number'
        ? value
        : run.fail(problem('bound-invalid', { bound, why: `evaluates to ${JSON.stringify(value ?? null)}` }, span))
    },
  }
}
