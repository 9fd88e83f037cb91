import { all } from './all.js'
import type { Strategy } from './strategy.js'

export const first: Strategy = { ...all, name: 'first', about: 'the first cases of the set' }
