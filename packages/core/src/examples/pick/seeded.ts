import { all } from './all.js'
import type { Strategy } from './strategy.js'

export const seeded: Strategy = {
  name: 'seeded',
  about: 'cases drawn by the seed and the record, the same ones every time',
  compares: false,
  rank: (question, most, labels) => {
    const lots = all.rank(question, question.count, labels).map((index) => ({ one: index, lot: question.random(index) }))
    return lots.sort((a, b) => a.lot - b.lot || a.one - b.one).map(({ one: index }) => index)
  },
}
