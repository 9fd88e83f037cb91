import { defined } from '../invariant.js'
import type { CaseIndex } from './case-index.js'
import { topOf } from './top.js'

/** For a labelled set: what its cases would be labelled by the cases nearest to them. */
export interface LeaveOneOut {
  readonly labels: readonly string[]
  /** Rows are true labels, columns those that the nearest cases carry; both in the order of `labels`. */
  readonly table: readonly (readonly number[])[]
  readonly cases: number
  /** Cases that are labelled rightly by the nearest one, and by the weight of the nearest few. */
  readonly rightByOne: number
  readonly rightByFew: number
  /** Cases that share nothing with any other: counted as wrong. */
  readonly alone: number
}

/**
 * Leaves out each case in turn and labels it by the `few` nearest others, each weighing by its likeness. It is a floor for what examples
 * alone can do: no model reads anything here.
 */
export function leaveOneOut(
  index: CaseIndex,
  inputs: readonly string[],
  labelOf: (index: number) => string,
  options: readonly string[],
  few = 5,
): LeaveOneOut {
  const labels = [...new Set([...options, ...inputs.map((_, index) => labelOf(index))])]
  const table = labels.map(() => labels.map(() => 0))
  let rightByOne = 0
  let rightByFew = 0
  let alone = 0
  inputs.forEach((ask, item) => {
    const { scores, touched } = index.score(ask)
    const near = topOf(scores, touched, few, new Set([item]))
    if (near.length === 0) {
      alone++
      return
    }
    const weights = new Map<string, number>()
    for (const other of near) weights.set(labelOf(other), (weights.get(labelOf(other)) ?? 0) + defined(scores[other]))
    const [[voted] = ['']] = [...weights].sort((a, b) => b[1] - a[1])
    const own = labelOf(item)
    const row = defined(table[labels.indexOf(own)])
    const column = labels.indexOf(voted)
    row[column] = (row[column] ?? 0) + 1
    if (labelOf(defined(near[0])) === own) rightByOne++
    if (voted === own) rightByFew++
  })
  return { labels, table, cases: inputs.length, rightByOne, rightByFew, alone }
}
