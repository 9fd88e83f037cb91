import type { CaseIndex } from './case-index.js'

export interface Pair {
  readonly one: number
  readonly other: number
  readonly likeness: number
}

/** How many of the nearest by score are looked at for each case. */
const LOOKED_AT = 4

/** Each case with the one most like it, each pair once, the most alike first. */
export function nearestPairs(index: CaseIndex, asks: readonly string[]): Pair[] {
  const pairs = new Map<string, Pair>()
  asks.forEach((ask, one) => {
    const { scores, touched } = index.score(ask)
    let best: Pair | undefined
    for (const other of nearestOf(scores, touched, one)) {
      const likeness = index.likeness(one, other)
      if (likeness > (best?.likeness ?? 0)) best = { one: Math.min(one, other), other: Math.max(one, other), likeness }
    }
    if (best) pairs.set(`${best.one} ${best.other}`, best)
  })
  return [...pairs.values()].sort((a, b) => b.likeness - a.likeness || a.one - b.one || a.other - b.other)
}

/** The cases with the highest scores but for the one that asks. */
export function nearestOf(scores: ArrayLike<number>, touched: readonly number[], own: number, count = LOOKED_AT): number[] {
  const top: number[] = []
  for (const one of touched) {
    if (one === own) continue
    let at = top.length
    while (at > 0 && (scores[one]! > scores[top[at - 1]!]! || (scores[one] === scores[top[at - 1]!] && one < top[at - 1]!))) at--
    if (at < count) {
      top.splice(at, 0, one)
      if (top.length > count) top.pop()
    }
  }
  return top
}
