import { targetsOf, usesIn } from './circles.js'
import type { Shelf } from '../artefacts/read.js'
import type { Text } from '../text/nodes.js'

export interface Drawn {
  readonly kind: 'prompt' | 'snippet' | 'persona' | 'example set' | 'output'
  readonly name: string
}

/** All that a prompt draws on, directly or through snippets and bases, each once, in order of first use. */
export function drawsOn(shelf: Shelf, name: string): Drawn[] {
  const { prompts, snippets, personas, outputs, examples } = shelf
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
      if (use.what === 'examples') visitSet(named)
      else if (use.what === 'persona' && personas.has(named)) visitPersona(named)
    }
  }
  const visitSet = (one: string) => {
    const set = examples.get(one)
    if (!set || !add('example set', one)) return
    visitText(set.ask)
    visitText(set.answer)
  }
  const visitPersona = (one: string) => {
    if (add('persona', one)) visitText(personas.get(one)!.layout)
  }
  const visitPrompt = (one: string) => {
    const prompt = prompts.get(one)
    if (!prompt) return
    for (const turn of [...prompt.turns, ...prompt.addTurns, ...prompt.replace.map((r) => r.turn)]) {
      if (turn.kind === 'text') visitText(turn.text)
      else if (turn.kind === 'examples' || turn.kind === 'ask') visitSet(turn.set.name)
    }
    for (const bound of prompt.bind) visitText(bound.text)
    // A name that a text chooses stands in the text, unless a value gives it: then any of them may be meant.
    for (const known of namedIn(prompt.persona, personas.keys())) visitPersona(known)
    for (const known of namedIn(prompt.output, outputs.keys())) add('output', known)
    if (prompt.basedOn && add('prompt', prompt.basedOn.name)) visitPrompt(prompt.basedOn.name)
  }
  visitPrompt(name)
  return [...found.values()]
}

function namedIn(text: Text | undefined, known: Iterable<string>): string[] {
  if (!text) return []
  const names = [...known]
  const named = names.filter((name) => text.source.text.includes(name))
  return named.length > 0 ? named : names
}
