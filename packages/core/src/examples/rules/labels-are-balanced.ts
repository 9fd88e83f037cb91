import { countLabels, type SetRule } from './facts.js'
import { problem } from '../../problems/problem.js'

/** From here on the lean is worth a word. */
const TIMES = 5

export const labelsAreBalanced: SetRule = {
  name: 'labels-are-balanced',
  check: (facts, report) => {
    if (!facts.label) return
    const counts = [...countLabels(facts)].filter(([, count]) => count > 0).sort((a, b) => b[1] - a[1])
    const [most, least] = [counts[0], counts.at(-1)]
    if (!most || !least || most[1] < TIMES * least[1]) return
    report(problem('labels-unbalanced', { most: most[0], least: least[0], times: Math.floor(most[1] / least[1]) }, facts.span))
  },
}
