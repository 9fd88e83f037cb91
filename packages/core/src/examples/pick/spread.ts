import { defined } from '../../invariant.js'
import { nearest } from './likeness.js'
import type { Strategy } from './strategy.js'

/** How many near cases it chooses among, for each that it takes; each is compared with each. */
const POOL = 5
const LARGEST_POOL = 300

export const spread: Strategy = {
  name: 'spread',
  about: 'cases near the record, but unlike one another',
  compares: true,
  rank: (question, most, labels) => {
    const ranked = nearest(question, Math.min(question.count, Math.max(most, 1) * POOL), labels)
    const pool = ranked.slice(0, LARGEST_POOL)
    const highest = pool.reduce((best, index) => Math.max(best, defined(question.scores[index])), 0)
    const taken: number[] = []
    const left = new Set(pool)
    // How alike each is to the one most like it among those taken.
    const alike = new Map(pool.map((index) => [index, 0]))
    while (taken.length < most && left.size > 0) {
      let best = -1
      let worth = -Infinity
      for (const index of left) {
        const near = highest === 0 ? 0 : defined(question.scores[index]) / highest
        // Nearness and difference weigh the same.
        const value = near - defined(alike.get(index))
        if (value > worth) {
          worth = value
          best = index
        }
      }
      taken.push(best)
      left.delete(best)
      if (taken.length < most)
        for (const index of left) alike.set(index, Math.max(defined(alike.get(index)), question.index.likeness(index, best)))
    }
    return [...taken, ...left, ...ranked.slice(LARGEST_POOL)]
  },
}
