import type { AssemblyModel, JoinedPrompt } from '../artefacts/artefacts.js'
import type { AssemblyPlan } from '../compile/assembly.js'
import type { CompileEnv } from '../compile/env.js'
import { compilePrompt } from '../compile/prompt.js'
import { problem, type Report } from '../problems/problem.js'
import type { Plan } from '../render/plan.js'
import type { Text } from '../text/nodes.js'
import type { Declared } from '../values/types.js'

interface Compiled {
  readonly prompt: JoinedPrompt
  readonly plan: Plan
}

/** An assembly with what takes its values, and what writes its document. */
export interface ReadyAssembly {
  readonly model: AssemblyModel
  readonly plan: AssemblyPlan
  readonly input: Compiled
  readonly document: Compiled | undefined
}

/** Compiles the document of an assembly; what is declared and never used is reported. */
export function readyAssembly(model: AssemblyModel, plan: AssemblyPlan, env: CompileEnv, report: Report): ReadyAssembly {
  const { variables, text, parts } = model
  const answers = parts.flatMap(({ name }) => plan.parts.find((part) => part.model.name === name)?.declared ?? [])
  const input = promptOf(model, variables, undefined)
  const document = text && promptOf(model, [...variables, ...answers.map((d) => ({ ...d, optional: true }))], text)
  const unplaced = new Set(text ? [] : [...variables, ...parts.slice(0, -1)].map(({ name }) => name))
  // What only a part uses need not be in the text, too.
  const hear: Report = (p) => {
    if (p.code === 'variable-unused') unplaced.add(p.data.name)
    else report(p)
  }
  const compiled = document && { prompt: document, plan: compilePrompt(document, env, hear) }
  const needed = new Set(plan.parts.flatMap(({ needs }) => needs))
  for (const { name, span } of variables) if (unplaced.has(name) && !plan.used.has(name)) report(problem('variable-unused', { name }, span))
  for (const { name, span } of parts) if (unplaced.has(name) && !needed.has(name)) report(problem('part-unused', { name }, span))
  return {
    model,
    plan,
    input: { prompt: input, plan: compilePrompt(input, env, () => undefined) },
    document: compiled,
  }
}

/** A prompt of one text, which no model gets to see: fences have no place in it. */
function promptOf(model: AssemblyModel, variables: readonly Declared[], text: Text | undefined): JoinedPrompt {
  const { name, file, span, content, title, about, tags } = model
  return {
    kind: 'prompt',
    name,
    file,
    span,
    content,
    title,
    about,
    tags,
    basedOn: undefined,
    bind: [],
    changed: [],
    variables,
    turns: text ? [{ kind: 'text', role: 'assistant', text, attach: [], name: undefined, span: text.source.span(0, 0) }] : [],
    persona: undefined,
    output: undefined,
    locale: undefined,
    personal: [],
    onlyMentioned: [],
    isTool: false,
    isTrusted: false,
    settings: {},
  }
}
