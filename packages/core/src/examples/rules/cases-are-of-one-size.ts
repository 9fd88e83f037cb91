import { defined } from '../../invariant.js'
import type { SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'

const TIMES = 4
/** Short cases differ by factors without costing anything. */
const LONG = 400

export const casesAreOfOneSize: SetRule = {
  name: 'cases-are-of-one-size',
  check: ({ inputs, expected, cases }, report) => {
    const lengths = inputs.map((ask, i) => ask.length + (expected[i]?.length ?? 0))
    const middle = [...lengths].sort((a, b) => a - b)[lengths.length >> 1] ?? 0
    lengths.forEach((length, i) => {
      if (length > LONG && middle > 0 && length >= TIMES * middle)
        report(problem('case-long', { number: defined(cases[i]).number, times: Math.floor(length / middle) }, defined(cases[i]).span))
    })
  },
}
