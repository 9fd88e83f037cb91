import type { Strategy } from './strategy.js'

export const all: Strategy = {
  name: 'all',
  about: 'every case, in the order of the set',
  compares: false,
  rank: ({ count, barred }, most, labels) => {
    const ranked: number[] = []
    // Labels are searched among all cases, at any position.
    const enough = labels ? count : most
    for (let index = 0; index < count && ranked.length < enough; index++) if (!barred.has(index)) ranked.push(index)
    return ranked
  },
}
