import { answersAreReadBack } from './expected-are-read-back.js'
import { casesAreOfOneSize } from './cases-are-of-one-size.js'
import { everyLabelHasCases } from './every-label-has-cases.js'
import type { SetRule } from './facts.js'
import { labelsAreBalanced } from './labels-are-balanced.js'
import { noCasesAreAlike } from './no-cases-are-alike.js'
import { noCasesContradict } from './no-cases-contradict.js'

/** All rules of example sets, in the order in which they are checked. */
export const SET_RULES: readonly SetRule[] = [
  everyLabelHasCases,
  labelsAreBalanced,
  noCasesContradict,
  noCasesAreAlike,
  casesAreOfOneSize,
  answersAreReadBack,
]
