import { all } from './all.js'
import type { Strategy } from './strategy.js'

export const seeded: Strategy = {
  name: 'seeded',
  about: 'cases drawn by the seed and the record, the same ones every time',
  compares: false,
  rank: (question, most, labels) => {
    const drawn = all.rank(question, question.count, labels).map((index) => ({ index, order: question.random(index) }))
    return drawn.sort((a, b) => a.order - b.order || a.index - b.index).map(({ index }) => index)
  },
}
