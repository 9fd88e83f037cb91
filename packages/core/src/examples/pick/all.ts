import type { Strategy } from './strategy.js'

export const all: Strategy = {
  name: 'all',
  about: 'every case, in the order of the set',
  compares: false,
  rank: ({ count, barred }) => Array.from({ length: count }, (_, i) => i).filter((one) => !barred.has(one)),
}
