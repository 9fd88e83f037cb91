import { defined } from '../../invariant.js'
import type { SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'
import { termsOf } from '../terms.js'

export const noCasesContradict: SetRule = {
  name: 'no-cases-contradict',
  check: ({ inputs, expected, cases }, report) => {
    const seen = new Map<string, number>()
    inputs.forEach((ask, i) => {
      const asked = termsOf(ask).join(' ') || ask
      const before = seen.get(asked)
      if (before === undefined) seen.set(asked, i)
      else if (expected[before] !== expected[i])
        report(
          problem('cases-contradict', { first: defined(cases[before]).number, other: defined(cases[i]).number }, defined(cases[i]).span, [
            { message: `case ${defined(cases[before]).number} is here`, span: defined(cases[before]).span },
          ]),
        )
    })
  },
}
