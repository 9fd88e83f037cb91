import { defined } from '../invariant.js'
import { attachmentPlans } from './attach.js'
import { compileInput, liveInput } from './input.js'
import { caseOps, exampleSet, liveText, pickerOp } from './cases.js'
import { recentTurns } from '../render/recent.js'
import type { PastTurn } from '../values/past-turns.js'
import { textOrigin, type Context } from './context.js'
import { openLoop, runLoop } from './loop.js'
import type { Compilation } from './env.js'
import { compileText } from './text.js'
import type { EachTurn, ExamplesTurn, HistoryTurn, TurnModel } from '../artefacts/artefacts.js'
import { problem } from '../problems/problem.js'
import { TurnMemo } from '../render/memo.js'
import type { Draws, TurnPlan } from '../render/plan.js'
import type { Run } from '../render/run.js'
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
      const { shared } = context
      const draws: Draws = (shared.draws = { variables: new Set(), more: false })
      const op = compileText(turn.text, { ...context, role }, true)
      const repeats = draws.more || turn.attach.length > 0 || context.scope !== compilation.context.scope
      const memo = repeats ? undefined : new TurnMemo([...draws.variables])
      return [{ kind, role, name, op, memo, attach: attachmentPlans(turn.attach, compilation, { ...context, role }), span }]
    }
    case 'history':
      return compileHistory(turn, compilation, context)
    case 'examples':
      return compileExamples(turn, compilation, context)
    case 'input':
      return compileInput(turn, compilation, context, context.shared.report)
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

function compileHistory(turn: HistoryTurn, compilation: Compilation, context: Context): TurnPlan[] {
  const { scope, shared } = context
  const binding = scope.find(turn.from.name)
  if (!binding) {
    shared.report(problem('name-unknown', { name: turn.from.name, known: scope.names() }, turn.from.span))
    return []
  }
  binding.used.yes = true
  if (binding.type.kind !== 'turns') {
    shared.report(problem('history-invalid', { name: turn.from.name, type: describe(binding.type) }, turn.from.span))
    return []
  }
  const fence = turn.fence?.name
  if (binding.untrusted && fence === undefined) shared.report(problem('history-unfenced', { name: turn.from.name }, turn.from.span))
  if (fence !== undefined && !isName(fence)) shared.report(problem('fence-tag-invalid', { tag: fence }, defined(turn.fence).span))
  if (fence !== undefined) shared.fences.add(fence)
  const value = textOrigin(context, turn.from.span, { kind: 'value', fromValue: true, path: [turn.from.name] })
  const made = textOrigin(context, turn.span, { kind: 'made' })
  const tag = { ...made, tag: true }
  const { countTokens } = compilation.env
  if (turn.budget !== undefined && !countTokens) shared.report(problem('budget-uncounted', { set: turn.from.name }, turn.span))
  const recent = recentTurns(turn, countTokens ?? (() => 0))
  const get = (run: Run) => recent((binding.get(run) as readonly PastTurn[] | null) ?? [], run)
  return [{ kind: 'history', get, fence, user: value, made, tag, assistant: value, span: turn.span }]
}

/** Each picked case as a user and an assistant turn, likened to `to`, or to what the prompt asks by this set. */
function compileExamples(turn: ExamplesTurn, compilation: Compilation, context: Context): TurnPlan[] {
  const set = exampleSet(turn.set, compilation, context.shared.report)
  if (!set) return []
  const { ask, answer } = caseOps(set, compilation, context, turn.set.span, 'user')
  const live = turn.to
    ? liveText(compileText(turn.to, { ...context, role: 'assistant' }, true))
    : liveInput(set.model.name, compilation, context)
  const pick = pickerOp(set, live, turn.set.span, context.shared.report)
  return [{ kind: 'examples', pick: (run) => pick(run).map((index) => defined(set.rows[index])), ask, answer, span: turn.span }]
}
