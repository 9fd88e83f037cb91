import type { JoinedPrompt, PromptModel, TurnModel } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'

/** Joins a prompt with its bases: variables merge by name, named turns are replaced, turns follow, other keys replace. */
export function joinPrompt(
  prompt: PromptModel,
  prompts: ReadonlyMap<string, PromptModel>,
  report: Report,
  seen: readonly string[] = [],
): JoinedPrompt | undefined {
  const { basedOn } = prompt
  if (!basedOn) return { ...prompt, bind: [] }
  const circle = [...seen, prompt.name]
  if (circle.includes(basedOn.name)) {
    report(problem('base-circle', { circle: [...circle.slice(circle.indexOf(basedOn.name)), basedOn.name] }, basedOn.span))
    return undefined
  }
  const base = prompts.get(basedOn.name)
  if (!base) {
    report(problem('use-unknown', { name: basedOn.name, what: 'prompt', known: [...prompts.keys()] }, basedOn.span))
    return undefined
  }
  const below = joinPrompt(base, prompts, report, circle)
  return below && derive(prompt, below, report)
}

function derive(prompt: PromptModel, base: JoinedPrompt, report: Report): JoinedPrompt {
  const bind = [...base.bind]
  for (const bound of prompt.bind) {
    const declared = base.variables.find((d) => d.name === bound.name)
    if (declared) bind.push({ declared, text: bound.text })
    else report(problem('bind-unknown', { name: bound.name, known: base.variables.map((d) => d.name) }, bound.span))
  }
  const boundNames = new Set(bind.map((b) => b.declared.name))
  const merged = new Map([...base.variables, ...prompt.variables].map((d) => [d.name, d]))
  return {
    ...base,
    ...prompt,
    variables: [...merged.values()].filter((d) => !boundNames.has(d.name)),
    bind,
    turns: [...replaced(base.turns, prompt, report), ...prompt.addTurns],
    persona: prompt.persona ?? base.persona,
    output: prompt.output ?? base.output,
    locale: prompt.locale ?? base.locale,
    settings: { ...base.settings, ...prompt.settings },
  }
}

function replaced(turns: readonly TurnModel[], prompt: PromptModel, report: Report): TurnModel[] {
  const names = turns.flatMap((turn) => (turn.name === undefined ? [] : [turn.name]))
  for (const one of prompt.replace)
    if (!names.includes(one.name)) report(problem('bind-unknown', { name: one.name, known: names }, one.span))
  return turns.map((turn) => {
    const by = prompt.replace.find((one) => one.name === turn.name)
    return by ? { ...by.turn, name: turn.name } : turn
  })
}
