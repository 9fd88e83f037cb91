import { artefactOf, memberKey, type LibraryGraph, type Member } from './graph.js'
import type { LibraryFiles } from '../artefacts/read.js'
import { defined } from '../invariant.js'
import { problem, type Problem } from '../problems/problem.js'

export function isError(p: Problem): boolean {
  return p.severity === 'error'
}

export function hasError(problems: readonly Problem[]): boolean {
  return problems.some(isError)
}

/** The case that a rule of example sets finds wrong: the later of two. A case that is only long is no fault. */
export function caseNumber(p: Problem): number | undefined {
  switch (p.code) {
    case 'cases-contradict':
    case 'cases-alike':
      return Math.max(p.data.first, p.data.other)
    case 'expected-not-readable':
      return p.data.number
    default:
      return undefined
  }
}

/** The kinds that are there to be drawn on by prompts. */
const DRAWN_ON: readonly Member['kind'][] = ['snippet', 'persona', 'example set', 'output']

/** Artefacts that no prompt draws on; a library without prompts is there to be drawn on by others. */
export function unusedIn(artefacts: LibraryFiles, graph: LibraryGraph): Problem[] {
  if (artefacts.prompts.size === 0) return []
  const prompts = [...artefacts.prompts.keys()].map((name) => ({ kind: 'prompt' as const, name }))
  const drawn = new Set(graph.drawnOnByAny(prompts).map(memberKey))
  return graph.members.flatMap((member) => {
    if (!DRAWN_ON.includes(member.kind) || drawn.has(memberKey(member))) return []
    return [problem('artefact-unused', { what: member.kind, name: member.name }, defined(artefactOf(artefacts, member)).span)]
  })
}

/** By file and place, each problem once: a snippet is compiled for each use. */
export function inOrder(problems: readonly Problem[]): Problem[] {
  const once = new Map<string, Problem>()
  for (const p of problems) {
    const key = `${p.code} ${p.place ? `${p.place.file}:${defined(p.span).source.fileOffset(defined(p.span).start)}` : ''} ${p.message}`
    // A base's own problem appears in all that are based on it: it is reported once, for the base.
    if ((once.get(key)?.related.length ?? Infinity) > p.related.length) once.set(key, p)
  }
  const rank = (p: Problem) => p.place?.file ?? ''
  return [...once.values()].sort((a, b) =>
    rank(a) < rank(b)
      ? -1
      : rank(a) > rank(b)
        ? 1
        : (a.place?.line ?? 0) - (b.place?.line ?? 0) || (a.place?.column ?? 0) - (b.place?.column ?? 0),
  )
}
