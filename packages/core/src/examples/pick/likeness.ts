import { defined } from '../../invariant.js'
import type { Question, Strategy } from './strategy.js'
import { before, topOf } from '../top.js'

/** The nearest `most` cases, and the nearest of each label, in order. What shares nothing serves where nothing else does. */
export function nearest(question: Question, most: number, labels: readonly string[] | undefined): number[] {
  const { scores, touched, barred, count } = question
  const top = topOf(scores, touched, most, barred)
  for (let one = 0; top.length < most && one < count; one++) if (scores[one] === 0 && !barred.has(one)) top.push(one)
  return labels ? [...top, ...bestOfOthers(question, top, labels)] : top
}

/** The best case of every label that the nearest ones do not have, in order. */
function bestOfOthers({ scores, touched, barred, count }: Question, top: readonly number[], labels: readonly string[]): number[] {
  const had = new Set(top.map((one) => defined(labels[one])))
  const best = new Map<string, number>()
  const offer = (one: number) => {
    const label = defined(labels[one])
    if (had.has(label) || barred.has(one)) return
    const known = best.get(label)
    if (known === undefined || before(scores, one, known)) best.set(label, one)
  }
  for (const one of touched) offer(one)
  if (touched.length < count) for (let one = 0; one < count; one++) if (scores[one] === 0) offer(one)
  return [...best.values()].sort((a, b) => (before(scores, a, b) ? -1 : 1))
}

export const likeness: Strategy = {
  name: 'likeness',
  about: 'the cases nearest to the record',
  compares: true,
  rank: nearest,
}
