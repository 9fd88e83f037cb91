import { defined } from '../../invariant.js'
import type { Question, Strategy } from './strategy.js'
import { before, topOf } from '../top.js'

/** The nearest `most` cases, and the nearest of each label, in order. What shares nothing serves where nothing else does. */
export function nearest(question: Question, most: number, labels: readonly string[] | undefined): number[] {
  const { scores, touched, barred, count } = question
  const top = topOf(scores, touched, most, barred)
  for (let index = 0; top.length < most && index < count; index++) if (scores[index] === 0 && !barred.has(index)) top.push(index)
  return labels ? [...top, ...bestOfOthers(question, top, labels)] : top
}

/** The best case of every label that the nearest ones do not have, in order. */
function bestOfOthers({ scores, touched, barred, count }: Question, top: readonly number[], labels: readonly string[]): number[] {
  const had = new Set(top.map((index) => defined(labels[index])))
  const best = new Map<string, number>()
  const offer = (index: number) => {
    const label = defined(labels[index])
    if (had.has(label) || barred.has(index)) return
    const known = best.get(label)
    if (known === undefined || before(scores, index, known)) best.set(label, index)
  }
  for (const index of touched) offer(index)
  if (touched.length < count) for (let index = 0; index < count; index++) if (scores[index] === 0) offer(index)
  return [...best.values()].sort((a, b) => (before(scores, a, b) ? -1 : 1))
}

export const likeness: Strategy = {
  name: 'likeness',
  about: 'the cases nearest to the record',
  compares: true,
  rank: nearest,
}
