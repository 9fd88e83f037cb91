import type { SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'
import { termsOf } from '../terms.js'

export const noCasesContradict: SetRule = {
  name: 'no-cases-contradict',
  check: ({ asks, answers, cases }, report) => {
    const seen = new Map<string, number>()
    asks.forEach((ask, i) => {
      const asked = termsOf(ask).join(' ') || ask
      const before = seen.get(asked)
      if (before === undefined) seen.set(asked, i)
      else if (answers[before] !== answers[i])
        report(
          problem('cases-contradict', { one: cases[before]!.number, other: cases[i]!.number }, cases[i]!.span, [
            { says: `case ${cases[before]!.number} is here`, span: cases[before]!.span },
          ]),
        )
    })
  },
}
