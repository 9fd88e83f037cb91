import { defined } from '../../invariant.js'
import type { SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'
import { clip } from '../../values/data.js'

export const answersAreReadBack: SetRule = {
  name: 'expected-are-read-back',
  check: ({ expected, cases, readBack }, report) => {
    expected.forEach((answer, i) => {
      if (answer !== undefined && !readBack(i))
        report(problem('expected-not-readable', { number: defined(cases[i]).number, answer: clip(answer) }, defined(cases[i]).span))
    })
  },
}
