import { allTurns, type JoinedPrompt, type PromptModel, type TurnModel } from '../artefacts/artefacts.js'
import { baseOf } from './base.js'
import { problem, type Report } from '../problems/problem.js'

/** Joins a prompt with its bases: variables merge by name, named turns are replaced, turns follow, other keys replace. */
export function joinPrompt(
  prompt: PromptModel,
  prompts: ReadonlyMap<string, PromptModel>,
  report: Report,
  seen: readonly string[] = [],
): JoinedPrompt | undefined {
  if (!prompt.basedOn) return { ...prompt, bind: [], changed: [] }
  const found = baseOf(prompt, prompts, 'prompt', report, seen)
  const below = found && joinPrompt(found.base, prompts, report, found.met)
  return below && derive(prompt, below, report)
}

function derive(prompt: PromptModel, base: JoinedPrompt, report: Report): JoinedPrompt {
  const known = base.variables.map((d) => d.name)
  const related = [{ says: `the base "${base.name}" is declared here`, span: base.span }]
  const bind = [...base.bind]
  for (const bound of prompt.bind) {
    const declared = base.variables.find((d) => d.name === bound.name)
    if (declared) bind.push({ declared, text: bound.text })
    else report(problem('bind-unknown', { name: bound.name, known }, bound.span, related))
  }
  for (const one of prompt.without)
    if (!known.includes(one.name)) report(problem('bind-unknown', { name: one.name, known }, one.span, related))
  const gone = new Set([...bind.map((b) => b.declared.name), ...prompt.without.map((one) => one.name)])
  const merged = new Map([...base.variables, ...prompt.variables].map((d) => [d.name, d]))
  const redeclared = prompt.variables.filter((d) => known.includes(d.name) && d.span)
  return {
    ...base,
    ...prompt,
    variables: [...merged.values()].filter((d) => !gone.has(d.name)),
    bind,
    changed: [
      ...base.changed,
      ...prompt.without.map(({ name, span }) => ({ name, span, dropped: true })),
      ...redeclared.map((d) => ({ name: d.name, span: d.span!, dropped: false })),
    ],
    turns: [...replaced(base.turns, prompt, report), ...prompt.addTurns],
    persona: prompt.persona ?? base.persona,
    output: prompt.output ?? base.output,
    locale: prompt.locale ?? base.locale,
    settings: { ...base.settings, ...prompt.settings },
  }
}

/** Turns are replaced wherever they stand, within repeated turns too. */
function replaced(turns: readonly TurnModel[], prompt: PromptModel, report: Report): TurnModel[] {
  const names = [...allTurns(turns)].flatMap((turn) => (turn.name === undefined ? [] : [turn.name]))
  for (const one of prompt.replace)
    if (!names.includes(one.name)) report(problem('bind-unknown', { name: one.name, known: names }, one.span))
  const swap = (turn: TurnModel): TurnModel => {
    const by = prompt.replace.find((one) => one.name === turn.name)
    if (by) return { ...by.turn, name: turn.name }
    return turn.kind === 'each' ? { ...turn, turns: turn.turns.map(swap) } : turn
  }
  return turns.map(swap)
}
