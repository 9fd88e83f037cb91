import type { Named } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'

interface Derivable {
  readonly name: string
  readonly basedOn: Named | undefined
}

/**
 * The base of an artefact, and the names met on the way to it; undefined where it has none, or where it is not there or a circle: both are
 * reported.
 */
export function baseOf<A extends Derivable>(
  one: A,
  all: ReadonlyMap<string, A>,
  what: 'prompt' | 'output',
  report: Report,
  seen: readonly string[],
): { readonly base: A; readonly met: readonly string[] } | undefined {
  const { basedOn } = one
  if (!basedOn) return undefined
  const met = [...seen, one.name]
  const base = all.get(basedOn.name)
  if (met.includes(basedOn.name))
    report(problem('base-circle', { circle: [...met.slice(met.indexOf(basedOn.name)), basedOn.name] }, basedOn.span))
  else if (!base) report(problem('use-unknown', { name: basedOn.name, what, known: [...all.keys()] }, basedOn.span))
  else return { base, met }
  return undefined
}
