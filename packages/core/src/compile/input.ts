import { exampleSet, liveText } from './cases.js'
import { compileValueText, textOrigin, type Context } from './context.js'
import { fixedBeginning } from './example-set.js'
import { compileValue } from './value.js'
import { Scope, type Binding, variableBinding } from './scope.js'
import type { Compilation } from './env.js'
import { compileText } from './text.js'
import { soleSlot } from '../text/sole-slot.js'
import { allTurns, type InputTurn } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import { captured } from '../render/capture.js'
import type { TurnPlan } from '../render/plan.js'
import type { Run } from '../render/run.js'
import type { Text } from '../text/nodes.js'
import { fits } from '../values/fits.js'
import { describe } from '../values/types.js'

/** What the prompt asks by a set, as a text of its own: the first turn that does. */
export function liveInput(set: string, compilation: Compilation, context: Context): ((run: Run) => string) | undefined {
  const asked = [...allTurns(compilation.prompt.turns)].find((turn): turn is InputTurn => turn.kind === 'input' && turn.set.name === set)
  const [plan] = asked ? compileInput(asked, compilation, context, () => undefined) : []
  return plan?.kind === 'text' ? liveText(plan.op) : undefined
}

/** The set's ask side with this prompt's values: those of `with`, else the prompt's variable of the field's name. */
export function compileInput(turn: InputTurn, compilation: Compilation, context: Context, report: Report): TurnPlan[] {
  const set = exampleSet(turn.set, compilation, report)
  if (!set) return []
  const { model } = set
  const bindings: Binding[] = []
  const misspelt = turn.with.filter((binding) => !model.fields.some((f) => f.name === binding.name))
  for (const binding of misspelt)
    report(problem('with-unknown', { name: binding.name, of: model.name, known: model.fields.map((f) => f.name) }, binding.span))
  for (const field of model.fields) {
    const binding = turn.with.find((w) => w.name === field.name)
    const value = binding ? inputValue(binding.text, context) : context.scope.find(field.name)
    if (!value) {
      if (field.optional || field.default !== undefined) bindings.push(variableBinding(field, () => field.default ?? null))
      continue
    }
    if ('used' in value) value.used.yes = true
    if (!fits(value.type, field.type) && value.type.kind !== 'any')
      report(
        problem(
          'with-invalid',
          { name: field.name, of: model.name, expected: describe(field.type), found: describe(value.type) },
          binding?.span ?? turn.span,
        ),
      )
    bindings.push({
      ...variableBinding(field, value.get, value.path),
      type: value.type,
      optional: value.optional,
      untrusted: field.untrusted || value.untrusted,
    })
  }
  const via = { what: 'example' as const, name: model.name, span: turn.set.span, outer: context.via }
  const within: Context = { ...context, scope: new Scope(bindings), role: 'user', kind: 'example', via, place: model.name }
  // A field that a misspelt name was meant for is reported as that.
  const hear: Report = misspelt.length > 0 ? () => undefined : report
  const op = compileText(model.input, { ...within, shared: { ...context.shared, report: hear } }, true)
  const asked: TurnPlan = { kind: 'text', role: 'user', name: turn.name, op, memo: undefined, attach: [], span: turn.span }
  const begun = turn.begins && model.expected !== 'output' ? fixedBeginning(model.expected) : ''
  if (turn.begins && begun === '') report(problem('expected-without-beginning', { set: model.name }, turn.span))
  if (begun === '') return [asked]
  const from = textOrigin({ ...context, kind: 'example', via }, turn.span)
  return [
    asked,
    { kind: 'text', role: 'assistant', name: undefined, op: (run) => run.write(begun, from), memo: undefined, attach: [], span: turn.span },
  ]
}

/** A text of one slot hands its value on as it is; any other text is written first. */
function inputValue(text: Text, context: Context) {
  const value = soleSlot(text)
  if (value) return compileValue(value, context)
  const {
    compiled: op,
    holdsFences,
    untrusted,
  } = compileValueText(context.shared, () => compileText(text, { ...context, role: 'assistant' }, true))
  if (holdsFences)
    context.shared.report(
      problem('fence-misplaced', { where: 'in a value that is passed on' }, text.source.span(0, text.source.text.length)),
    )
  return {
    type: { kind: 'text' as const },
    optional: false,
    untrusted,
    get: (run: Run) => captured(op, run),
    path: [],
  }
}
