import type { Named } from '../artefacts/artefacts.js'
import { problem, type Report } from '../problems/problem.js'

interface Derivable {
  readonly name: string
  readonly basedOn: Named | undefined
}

/**
 * The base of an artefact; undefined where it has none, or where it is not there or leads back to one that was met: both are reported.
 * `chain` are the artefacts that were met on the way, this one the last.
 */
export function baseOf<A extends Derivable>(
  first: A,
  all: ReadonlyMap<string, A>,
  what: 'prompt' | 'output',
  met: ReadonlySet<string>,
  chain: readonly A[],
  report: Report,
): A | undefined {
  const { basedOn } = first
  if (!basedOn) return undefined
  const base = all.get(basedOn.name)
  if (base && !met.has(base.name)) return base
  if (base) {
    const names = chain.map(({ name }) => name)
    report(problem('base-cycle', { circle: [...names.slice(names.indexOf(base.name)), base.name] }, basedOn.span))
  } else report(problem('use-unknown', { name: basedOn.name, what, known: [...all.keys()] }, basedOn.span))
  return undefined
}
