import { defined } from '../../invariant.js'
import type { SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'
import { clip } from '../../values/data.js'

export const answersAreReadBack: SetRule = {
  name: 'answers-are-read-back',
  check: ({ answers, cases, readBack }, report) => {
    answers.forEach((answer, i) => {
      if (answer !== undefined && !readBack(i))
        report(problem('answer-not-read-back', { number: defined(cases[i]).number, answer: clip(answer) }, defined(cases[i]).span))
    })
  },
}
