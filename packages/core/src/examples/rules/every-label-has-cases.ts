import { countLabels, type SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'

export const everyLabelHasCases: SetRule = {
  name: 'every-label-has-cases',
  check: (facts, report) => {
    const { label, span, cases } = facts
    if (!label || cases.length === 0) return
    const counts = countLabels(facts)
    const several = [...counts.values()].some((count) => count > 2)
    for (const [option, count] of counts)
      if (count === 0 || (count === 1 && several)) report(problem('label-without-case', { label: option, field: label.field, count }, span))
  },
}
