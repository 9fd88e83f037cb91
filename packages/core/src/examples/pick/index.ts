import { all } from './all.js'
import { first } from './first.js'
import { likeness } from './likeness.js'
import { seeded } from './seeded.js'
import { spread } from './spread.js'
import type { Strategy } from './strategy.js'

/** All strategies, in the order of the page. */
export const STRATEGIES: readonly Strategy[] = [all, first, seeded, likeness, spread]
