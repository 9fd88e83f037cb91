import { defined } from '../../invariant.js'
import { nearest } from './likeness.js'
import type { Strategy } from './strategy.js'

/** How many near cases it chooses among, for each that it is to take; each is held against each. */
const POOL = 5
const LARGEST_POOL = 300

export const spread: Strategy = {
  name: 'spread',
  about: 'cases near the record, but unlike one another',
  compares: true,
  rank: (question, most, labels) => {
    const ranked = nearest(question, Math.min(question.count, Math.max(most, 1) * POOL), labels)
    const pool = ranked.slice(0, LARGEST_POOL)
    const highest = pool.reduce((best, one) => Math.max(best, defined(question.scores[one])), 0)
    const taken: number[] = []
    const left = new Set(pool)
    // How alike each is to the one most like it among those taken.
    const alike = new Map(pool.map((one) => [one, 0]))
    while (taken.length < most && left.size > 0) {
      let best = -1
      let worth = -Infinity
      for (const one of left) {
        const near = highest === 0 ? 0 : defined(question.scores[one]) / highest
        // Nearness and difference weigh the same.
        const value = near - defined(alike.get(one))
        if (value > worth) {
          worth = value
          best = one
        }
      }
      taken.push(best)
      left.delete(best)
      if (taken.length < most) for (const one of left) alike.set(one, Math.max(defined(alike.get(one)), question.index.likeness(one, best)))
    }
    return [...taken, ...left, ...ranked.slice(LARGEST_POOL)]
  },
}
