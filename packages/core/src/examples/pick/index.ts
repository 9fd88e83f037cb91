import { all } from './all.js'
import { first } from './first.js'
import { likeness } from './likeness.js'
import { seeded } from './seeded.js'
import { spread } from './spread.js'
import type { Strategy } from './strategy.js'

/**
 * The ways to pick cases, in the order of the reference.
 *
 * @example
 * STRATEGIES.map(({ name }) => name).includes('likeness') // => true
 */
export const STRATEGIES: readonly Strategy[] = [all, first, seeded, likeness, spread]
