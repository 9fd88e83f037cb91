import { nearest } from './likeness.js'
import type { Strategy } from './strategy.js'

/** How many near cases it chooses among, for each that it is to take. */
const POOL = 8

export const spread: Strategy = {
  name: 'spread',
  about: 'cases near the record, but unlike one another',
  compares: true,
  rank: (question, most, labelOf) => {
    const pool = nearest(question, Math.min(question.count, Math.max(most, 1) * POOL), labelOf)
    const highest = pool.reduce((best, one) => Math.max(best, question.score(one)), 0)
    const taken: number[] = []
    const left = new Set(pool)
    while (taken.length < most && left.size > 0) {
      let best = -1
      let worth = -Infinity
      for (const one of left) {
        const near = highest === 0 ? 0 : question.score(one) / highest
        const alike = taken.reduce((most, other) => Math.max(most, question.index.likeness(one, other)), 0)
        // Nearness and difference weigh the same.
        if (near - alike > worth) {
          worth = near - alike
          best = one
        }
      }
      taken.push(best)
      left.delete(best)
    }
    return [...taken, ...left]
  },
}
