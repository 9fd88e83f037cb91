import { defined } from '../../invariant.js'
import type { SetRule } from './facts.js'
import { ALIKE, nearestPairs } from '../pairs.js'
import { problem } from '../../problems/problem.js'

/** Beyond this, looking at every case beside its nearest would slow down opening a library; `dunelight examples` looks at any number. */
const MOST = 1500

export const noCasesAreAlike: SetRule = {
  name: 'no-cases-are-alike',
  check: ({ inputs, expected, cases, index }, report) => {
    if (cases.length > MOST) return
    for (const { one, other, likeness } of nearestPairs(index(), inputs)) {
      // The same question with two expected is a contradiction, and said as that.
      if (likeness < ALIKE || (likeness === 1 && expected[one] !== expected[other])) continue
      report(
        problem('cases-alike', { one: defined(cases[one]).number, other: defined(cases[other]).number }, defined(cases[other]).span, [
          { says: `case ${defined(cases[one]).number} is here`, span: defined(cases[one]).span },
        ]),
      )
    }
  },
}
