import { attachmentPlans } from './attach.js'
import { caseOps, caseValues, exampleSet } from './cases.js'
import { descent, type Context } from './context.js'
import { compileGiven } from './given.js'
import { openLoop, runLoop } from './loop.js'
import { writesOutside } from './outside.js'
import { Scope, type Binding } from './scope.js'
import { variableBinding, type Compilation } from './shelves.js'
import { compileText } from './text.js'
import { allTurns, type AskTurn, type EachTurn, type ExamplesTurn, type HistoryTurn, type TurnModel } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import type { TurnPlan } from '../render/plan.js'
import type { Run } from '../render/run.js'
import type { SlotValue, Text } from '../text/nodes.js'
import { fits } from '../values/fits.js'
import { isName } from '../values/names.js'
import { describe } from '../values/types.js'

/** `place` names the turns among the prompt's texts, for the choice of wordings. */
export function compileTurns(turns: readonly TurnModel[], compilation: Compilation, context: Context, place: string): TurnPlan[] {
  return turns.flatMap((turn, i) => compileTurn(turn, compilation, { ...context, place: `${place}#${i + 1}` }))
}

function compileTurn(turn: TurnModel, compilation: Compilation, context: Context): TurnPlan[] {
  switch (turn.kind) {
    case 'text': {
      const { kind, role, name, span } = turn
      const op = compileText(turn.text, { ...context, role }, true)
      return [{ kind, role, name, op, attach: attachmentPlans(turn.attach, compilation, { ...context, role }), span }]
    }
    case 'history':
      return compileHistory(turn, context)
    case 'examples':
      return compileExamples(turn, compilation, context)
    case 'ask':
      return compileAsk(turn, compilation, context, context.shared.report)
    case 'each':
      return [compileRepeated(turn, compilation, context)]
  }
}

function compileRepeated({ head, turns, span }: EachTurn, compilation: Compilation, context: Context): TurnPlan {
  const { loop, within } = openLoop(head, context)
  return {
    kind: 'each',
    each: (run, body) => void runLoop(loop, run, body),
    turns: compileTurns(turns, compilation, within, context.place),
    span,
  }
}

function compileHistory(turn: HistoryTurn, context: Context): TurnPlan[] {
  const { scope, shared } = context
  const binding = scope.find(turn.from.name)
  if (!binding) {
    shared.report(problem('name-unknown', { name: turn.from.name, known: scope.names() }, turn.from.span))
    return []
  }
  binding.used.yes = true
  if (binding.type.kind !== 'turns') {
    shared.report(problem('history-unfit', { name: turn.from.name, type: describe(binding.type) }, turn.from.span))
    return []
  }
  const fence = turn.fence?.name
  if (binding.outside && fence === undefined) shared.report(problem('history-unfenced', { name: turn.from.name }, turn.from.span))
  if (fence !== undefined && !isName(fence)) shared.report(problem('fence-tag-unfit', { tag: fence }, turn.fence!.span))
  if (fence !== undefined) shared.fenced = true
  const value = descent(context, turn.from.span, { kind: 'value', given: true, path: [turn.from.name] })
  const made = descent(context, turn.span, { kind: 'made' })
  return [{ kind: 'history', get: binding.get, fence, user: value, made, assistant: value, span: turn.span }]
}

function compileExamples(turn: ExamplesTurn, compilation: Compilation, context: Context): TurnPlan[] {
  const set = exampleSet(turn.set, compilation, context.shared.report)
  if (!set) return []
  const { ask, answer } = caseOps(set, compilation, context, turn.set.span, 'user')
  const asked = [...allTurns(compilation.prompt.turns)].find(
    (other): other is AskTurn => other.kind === 'ask' && other.set.name === turn.set.name,
  )
  const [livePlan] = asked ? compileAsk(asked, compilation, context, () => undefined) : []
  const live = livePlan?.kind === 'text' ? livePlan.op : undefined
  return [{ kind: 'examples', cases: set.cases.map((one) => caseValues(set, one.values)), ask, answer, live, span: turn.span }]
}

/** The set's ask side with this prompt's values: those of `with`, else the prompt's variable of the field's name. */
function compileAsk(turn: AskTurn, compilation: Compilation, context: Context, report: Report): TurnPlan[] {
  const set = exampleSet(turn.set, compilation, report)
  if (!set) return []
  const bindings: Binding[] = []
  for (const given of turn.with)
    if (!set.fields.some((f) => f.name === given.name))
      report(problem('with-unknown', { name: given.name, of: set.name, known: set.fields.map((f) => f.name) }, given.span))
  for (const field of set.fields) {
    const given = turn.with.find((w) => w.name === field.name)
    const value = given ? askValue(given.text, context) : context.scope.find(field.name)
    if (!value) continue
    if ('used' in value) value.used.yes = true
    if (!fits(value.type, field.type) && value.type.kind !== 'any')
      report(
        problem(
          'with-unfit',
          { name: field.name, of: set.name, expected: describe(field.type), found: describe(value.type) },
          given?.span ?? turn.span,
        ),
      )
    bindings.push({
      ...variableBinding(field, value.get, value.path),
      type: value.type,
      optional: value.optional,
      outside: field.outside || value.outside,
    })
  }
  const via = { what: 'example' as const, name: set.name, span: turn.set.span, outer: context.via }
  const within: Context = { ...context, scope: new Scope(bindings), role: 'user', kind: 'example', via, place: set.name }
  const op = compileText(set.ask, { ...within, shared: { ...context.shared, report } }, true)
  return [{ kind: 'text', role: 'user', name: turn.name, op, attach: [], span: turn.span }]
}

/** A text of one slot hands its value on as it is; any other text is written first. */
function askValue(text: Text, context: Context) {
  const value = onlySlot(text)
  if (value) return compileGiven(value, context)
  const op = compileText(text, { ...context, role: 'assistant' }, true)
  return {
    type: { kind: 'text' as const },
    optional: false,
    outside: writesOutside(text, context),
    get: (run: Run) => captured(op, run),
    path: [],
  }
}

function onlySlot(text: Text): SlotValue | undefined {
  const [line] = text.items
  if (text.items.length !== 1 || line?.kind !== 'line' || line.pieces.length !== 1) return undefined
  const [piece] = line.pieces
  return piece?.kind === 'slot' ? piece.value : undefined
}
