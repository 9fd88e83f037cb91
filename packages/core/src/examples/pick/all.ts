import type { Strategy } from './strategy.js'

export const all: Strategy = {
  name: 'all',
  about: 'every case, in the order of the set',
  compares: false,
  rank: ({ count, barred }, most, labels) => {
    const ranked: number[] = []
    // Labels are looked for among all cases, wherever they stand.
    const enough = labels ? count : most
    for (let one = 0; one < count && ranked.length < enough; one++) if (!barred.has(one)) ranked.push(one)
    return ranked
  },
}
