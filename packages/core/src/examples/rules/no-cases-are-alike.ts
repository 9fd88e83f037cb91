import { defined } from '../../invariant.js'
import type { SetRule } from './facts.js'
import { ALIKE, nearestPairs } from '../pairs.js'
import { problem } from '../../problems/problem.js'

/** Beyond this, comparing every case with its nearest would slow down opening a library; `dunelight examples` compares any number. */
const MOST = 1500

export const noCasesAreAlike: SetRule = {
  name: 'no-cases-are-alike',
  check: ({ inputs, expected, cases, index }, report) => {
    if (cases.length > MOST) return
    for (const { first, second, likeness } of nearestPairs(index(), inputs)) {
      // The same input with two expected outputs is a contradiction, and reported as one.
      if (likeness < ALIKE || (likeness === 1 && expected[first] !== expected[second])) continue
      report(
        problem('cases-alike', { first: defined(cases[first]).number, other: defined(cases[second]).number }, defined(cases[second]).span, [
          { message: `case ${defined(cases[first]).number} is here`, span: defined(cases[first]).span },
        ]),
      )
    }
  },
}
