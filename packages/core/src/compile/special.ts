import { defined } from '../invariant.js'
import { compileValue } from './value.js'
import { liveInput } from './input.js'
import { caseOps, exampleSet, pickerOp } from './cases.js'
import { onceWhereConstant } from './constant.js'
import { textOrigin, drawsOnMore, type Context } from './context.js'
import { Scope, variableBinding } from './scope.js'
import { compileOutput } from './output.js'
import type { Compilation } from './env.js'
import { compileText } from './text.js'
import type { PersonaModel } from '../artefacts/artefacts.js'
import { PERSONA_VARIABLES } from '../artefacts/persona.js'
import { problem } from '../problems/problem.js'
import type { Op, Run } from '../render/run.js'
import type { Use } from '../text/nodes.js'
import { write } from '../values/write.js'

/** `use persona`, `use output`, `use examples`: an op that writes the text in open form, or undefined where that was reported. */
export function compileSpecial(use: Use, context: Context, compilation: Compilation): Op | undefined {
  switch (use.what) {
    case 'persona':
      return usePersona(use, context, compilation)
    case 'output':
      return useOutput(use, context, compilation)
    default:
      return useExamples(use, context, compilation)
  }
}

function usePersona(use: Use, context: Context, { prompt, env, personaNames }: Compilation): Op | undefined {
  const { report } = context.shared
  const { personas } = env
  const named = use.steps.length > 0 ? nameOf(use) : undefined
  if (named !== undefined && !personas.has(named)) {
    report(problem('use-unknown', { name: named, what: 'persona', known: [...personas.keys()] }, use.nameSpan))
    return undefined
  }
  if (named === undefined && !prompt.persona) {
    report(problem('use-nothing', { what: 'persona' }, use.head))
    return undefined
  }
  const names = named !== undefined ? [named] : (personaNames ?? [...personas.keys()])
  const ops = new Map(
    names.filter((name) => personas.has(name)).map((name) => [name, personaOp(defined(personas.get(name)), use, context)]),
  )
  return named !== undefined ? ops.get(named) : (run) => ops.get(run.persona)?.(run)
}

function nameOf(use: Use): string {
  return use.steps.map((step) => (typeof step === 'string' ? step : '')).join('/')
}

function personaOp(persona: PersonaModel, use: Use, context: Context): Op {
  const traits: Record<string, unknown> = { who: persona.who, ...persona.traits }
  const bindings = PERSONA_VARIABLES.map((d) => ({ ...variableBinding(d, () => traits[d.name], ['persona', d.name]), constant: true }))
  const via = { what: 'persona' as const, name: persona.name, span: use.head, outer: context.via }
  const within: Context = { ...context, scope: new Scope(bindings), kind: 'persona', via, place: persona.name }
  return onceWhereConstant(context.shared, () => compileText(persona.layout, within, true))
}

function useOutput(use: Use, context: Context, compilation: Compilation): Op | undefined {
  const { prompt, env, forms } = compilation
  compilation.asksForOutput = true
  const { report } = context.shared
  if (!prompt.output) {
    report(problem('use-nothing', { what: 'output' }, use.head))
    return undefined
  }
  for (let via = context.via; via; via = via.outer) {
    if (via.what !== 'output') continue
    report(problem('use-cycle', { circle: [via.name, via.name] }, use.head))
    return undefined
  }
  const ops = new Map(
    [...forms.keys()].map((name) => [name, compileOutput(defined(env.outputs.get(name)), context, env, use.head).instruct]),
  )
  if (ops.size > 1) context.shared.varying++
  return (run) => ops.get(run.output)?.(run)
}

/** The picked cases as text: input, line end, expected output, an empty line between cases. They are compared with `to`, or with the input of this set that the prompt uses. */
function useExamples(use: Use, context: Context, compilation: Compilation): Op | undefined {
  const { report } = context.shared
  const set = exampleSet({ name: nameOf(use), span: use.nameSpan }, compilation, report)
  if (!set) return undefined
  for (const { name } of use.with)
    if (name.name !== 'to') report(problem('with-unknown', { name: name.name, of: set.model.name, known: ['to'] }, name.span))
  const to = use.with.find((item) => item.name.name === 'to')
  const compiled = to && compileValue(to.value, context)
  const asked = compiled ? (run: Run) => write(compiled.get(run), compiled.type) : liveInput(set.model.name, compilation, context)
  const { ask, answer } = caseOps(set, compilation, context, use.head, context.role)
  const pick = pickerOp(set, asked, use.head, report)
  const between = textOrigin({ ...context, kind: 'example' }, use.head, { kind: 'made' })
  drawsOnMore(context.shared)
  return (run) => {
    pick(run).forEach((index, i) => {
      run.example = defined(set.rows[index])
      if (i > 0) run.write('\n\n', between)
      ask(run)
      run.write('\n', between)
      answer(run)
    })
  }
}
