import { defined } from '../invariant.js'
import type { LibraryFiles } from '../artefacts/read.js'
import { allTurns, type SnippetModel } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'
import { nodesIn } from '../text/branches.js'
import type { Text, Use } from '../text/nodes.js'

/** All uses in a text, in order. */
export function usesIn(text: Text): Use[] {
  return nodesIn(text.items).filter((node) => node.kind === 'use')
}

/** The snippets that a use can mean: the one of its name, or all whose other steps fit, where one step is a slot. */
export function targetsOf({ what, steps }: Use, snippets: ReadonlyMap<string, unknown>): string[] {
  if (what !== 'snippet') return []
  if (steps.every((step) => typeof step === 'string')) {
    const name = steps.join('/')
    return snippets.has(name) ? [name] : []
  }
  return [...snippets.keys()].filter((name) => {
    const own = name.split('/')
    return own.length === steps.length && steps.every((step, i) => typeof step !== 'string' || step === own[i])
  })
}

/** All snippets that these texts use. */
export function usedSnippets(texts: readonly Text[], snippets: ReadonlyMap<string, unknown>): Set<string> {
  return new Set(texts.flatMap((text) => usesIn(text).flatMap((use) => targetsOf(use, snippets))))
}

/**
 * Reports each circle of snippets once, and gives the names of the snippets and prompts that must not be compiled: those from which a
 * circle can be reached.
 */
export function circles(artefacts: LibraryFiles, report: Report): Set<string> {
  const { snippets } = artefacts
  const state = new Map<string, 'open' | 'sound' | 'circular'>()
  const visit = (snippet: SnippetModel, path: readonly string[]): boolean => {
    const known = state.get(snippet.name)
    if (known === 'sound' || known === 'circular') return known === 'circular'
    state.set(snippet.name, 'open')
    let circular = false
    for (const use of usesIn(snippet.text)) {
      for (const name of targetsOf(use, snippets)) {
        if (state.get(name) === 'open') {
          report(problem('use-cycle', { circle: [...path.slice(path.indexOf(name)), name] }, use.head))
          circular = true
        } else if (visit(defined(snippets.get(name)), [...path, name])) circular = true
      }
    }
    state.set(snippet.name, circular ? 'circular' : 'sound')
    return circular
  }
  for (const snippet of snippets.values()) visit(snippet, [snippet.name])
  const reached = new Set([...snippets.keys()].filter((name) => state.get(name) === 'circular'))
  for (const prompt of artefacts.prompts.values()) {
    const texts = [...allTurns(prompt.turns)].flatMap((turn) => (turn.kind === 'text' ? [turn.text] : []))
    if ([...usedSnippets(texts, snippets)].some((name) => reached.has(name))) reached.add(prompt.name)
  }
  return reached
}
