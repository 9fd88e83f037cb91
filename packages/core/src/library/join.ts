import { defined } from '../invariant.js'
import { allTurns, type JoinedPrompt, type PromptModel, type TurnModel } from '../artefacts/artefacts.js'
import { baseOf } from './base.js'
import { problem, type Problem, type Report } from '../problems/problem.js'

interface Joined {
  readonly prompt: JoinedPrompt | undefined
  /** What is wrong with it, and with what it is based on. */
  readonly problems: readonly Problem[]
}

/** Prompts joined with their bases: variables merge by name, named turns are replaced, turns follow, other keys replace. */
export class PromptJoiner {
  private readonly known = new Map<string, Joined>()

  constructor(private readonly prompts: ReadonlyMap<string, PromptModel>) {}

  /** Each prompt is joined once, however many are based on it, and however long the chain. */
  join(prompt: PromptModel, report: Report): JoinedPrompt | undefined {
    const { prompt: joined, problems } = this.known.get(prompt.name) ?? this.joinChain(prompt)
    for (const problem of problems) report(problem)
    return joined
  }

  private joinChain(prompt: PromptModel): Joined {
    const problems: Problem[] = []
    const chain = [prompt]
    const met = new Set([prompt.name])
    let base: Joined = { prompt: undefined, problems }
    for (let last = prompt; ;) {
      const next = baseOf(last, this.prompts, 'prompt', met, chain, (p) => problems.push(p))
      if (!next) break
      const known = this.known.get(next.name)
      if (known) {
        base = known
        break
      }
      met.add(next.name)
      chain.push(next)
      last = next
    }
    for (const promptModel of chain.reverse()) {
      const own = [...base.problems]
      const joined = promptModel.basedOn
        ? base.prompt && derive(promptModel, base.prompt, (p) => own.push(p))
        : { ...promptModel, bind: [], changed: [] }
      base = { prompt: joined, problems: own }
      this.known.set(promptModel.name, base)
    }
    return base
  }
}

function derive(prompt: PromptModel, base: JoinedPrompt, report: Report): JoinedPrompt {
  const known = base.variables.map((d) => d.name)
  const related = [{ message: `the base "${base.name}" is declared here`, span: base.span }]
  const bind = [...base.bind]
  for (const bound of prompt.bind) {
    const declared = base.variables.find((d) => d.name === bound.name)
    if (declared) bind.push({ declared, text: bound.text })
    else report(problem('bind-unknown', { name: bound.name, known }, bound.span, related))
  }
  for (const item of prompt.without)
    if (!known.includes(item.name)) report(problem('bind-unknown', { name: item.name, known }, item.span, related))
  const gone = new Set([...bind.map((b) => b.declared.name), ...prompt.without.map((item) => item.name)])
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
      ...redeclared.map((d) => ({ name: d.name, span: defined(d.span), dropped: false })),
    ],
    turns: [...replaced(base.turns, prompt, report), ...prompt.addTurns],
    persona: prompt.persona ?? base.persona,
    output: prompt.output ?? base.output,
    locale: prompt.locale ?? base.locale,
    personal: [...base.personal, ...prompt.personal],
    onlyMentioned: [...base.onlyMentioned, ...prompt.onlyMentioned],
    settings: { ...base.settings, ...prompt.settings },
  }
}

/** Turns are replaced at any depth, within repeated turns too. */
function replaced(turns: readonly TurnModel[], prompt: PromptModel, report: Report): TurnModel[] {
  const names = [...allTurns(turns)].flatMap((turn) => (turn.name === undefined ? [] : [turn.name]))
  for (const item of prompt.replace)
    if (!names.includes(item.name)) report(problem('bind-unknown', { name: item.name, known: names }, item.span))
  const swap = (turn: TurnModel): TurnModel => {
    const by = prompt.replace.find((item) => item.name === turn.name)
    if (by) return { ...by.turn, name: turn.name }
    return turn.kind === 'each' ? { ...turn, turns: turn.turns.map(swap) } : turn
  }
  return turns.map(swap)
}
