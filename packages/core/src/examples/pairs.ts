import { CaseIndex } from './case-index.js'
import { topOf } from './top.js'

export interface Pair {
  readonly first: number
  readonly second: number
  readonly likeness: number
}

/** Texts that share so much are the same but for a word or two. */
export const ALIKE = 0.85

/** Texts that are nearly the same, in pairs, the most alike first. */
export function alikePairs(texts: readonly string[]): Pair[] {
  return nearestPairs(new CaseIndex(texts), texts).filter((pair) => pair.likeness >= ALIKE)
}

/** How many of the nearest by score are compared for each case. */
const LOOKED_AT = 4

/** Each case with the one most like it, each pair once, the most alike first. */
export function nearestPairs(index: CaseIndex, inputs: readonly string[]): Pair[] {
  const pairs = new Map<string, Pair>()
  inputs.forEach((ask, item) => {
    const { scores, touched } = index.score(ask)
    let best: Pair | undefined
    for (const other of topOf(scores, touched, LOOKED_AT, new Set([item]))) {
      const likeness = index.likeness(item, other)
      if (likeness > (best?.likeness ?? 0)) best = { first: Math.min(item, other), second: Math.max(item, other), likeness }
    }
    if (best) pairs.set(`${best.first} ${best.second}`, best)
  })
  return [...pairs.values()].sort((a, b) => b.likeness - a.likeness || a.first - b.first || a.second - b.second)
}
