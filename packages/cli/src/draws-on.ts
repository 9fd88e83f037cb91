import { targetsOf, usesIn, type Library, type Text } from 'dunelight'

export interface Drawn {
  readonly kind: 'prompt' | 'snippet' | 'persona' | 'example set' | 'output'
  readonly name: string
}

/** All that a prompt draws on, directly or through snippets and bases, each once, in order of first use. */
export function drawsOn(library: Library, name: string): Drawn[] {
  const { prompts, snippets, personas } = library.shelf
  const found = new Map<string, Drawn>()
  const add = (kind: Drawn['kind'], one: string): boolean => {
    const key = `${kind} ${one}`
    if (found.has(key)) return false
    found.set(key, { kind, name: one })
    return true
  }
  const visitText = (text: Text) => {
    for (const use of usesIn(text)) {
      for (const target of targetsOf(use, snippets.keys())) if (add('snippet', target)) visitText(snippets.get(target)!.text)
      const named = use.steps.filter((step) => typeof step === 'string').join('/')
      if (use.what === 'examples') add('example set', named)
      else if (use.what === 'persona' && named !== '') add('persona', named)
    }
  }
  const visitPrompt = (one: string) => {
    const prompt = prompts.get(one)
    if (!prompt) return
    for (const turn of [...prompt.turns, ...prompt.addTurns, ...prompt.replace.map((r) => r.turn)]) {
      if (turn.kind === 'text') visitText(turn.text)
      else if (turn.kind === 'examples' || turn.kind === 'ask') add('example set', turn.set.name)
    }
    const persona = prompt.persona?.source.text.trim()
    if (persona !== undefined) for (const known of personas.keys()) if (persona.includes(known)) add('persona', known)
    if (prompt.output) add('output', prompt.output.source.text.trim())
    if (prompt.basedOn && add('prompt', prompt.basedOn.name)) visitPrompt(prompt.basedOn.name)
  }
  visitPrompt(name)
  return [...found.values()]
}
