import type { Question, Strategy } from './strategy.js'

/** The nearest come first; the order of the set decides between equals. */
export function nearer(question: Question): (a: number, b: number) => number {
  return (a, b) => question.score(b) - question.score(a) || a - b
}

/**
 * The nearest `most` cases, and the nearest of each label, in order. Only cases that share a term are sorted, and of many only those that
 * can be among the nearest.
 */
export function nearest(question: Question, most: number, labelOf: ((one: number) => string) | undefined): number[] {
  const order = nearer(question)
  const found = question.touched.filter((one) => !question.barred.has(one))
  const top = found.length > 4 * most ? selected(found, most, order) : found.sort(order)
  const taken = new Set(top)
  const rest: number[] = []
  if (labelOf) {
    const best = new Map<string, number>()
    const offer = (one: number) => {
      const label = labelOf(one)
      const known = best.get(label)
      if (known === undefined || order(one, known) < 0) best.set(label, one)
    }
    for (const one of found) offer(one)
    // A label of which nothing is near is served by the first of its cases.
    const near = new Set(best.keys())
    for (let one = 0; one < question.count; one++) if (!question.barred.has(one) && !near.has(labelOf(one))) offer(one)
    rest.push(...[...best.values()].filter((one) => !taken.has(one)).sort(order))
  }
  const ranked = [...top, ...rest]
  for (const one of rest) taken.add(one)
  for (let one = 0; ranked.length < most && one < question.count; one++) if (!taken.has(one) && !question.barred.has(one)) ranked.push(one)
  return ranked
}

/** The first `most` of a list by an order, in order, without sorting the whole list. */
function selected(list: readonly number[], most: number, order: (a: number, b: number) => number): number[] {
  const top: number[] = []
  for (const one of list) {
    if (top.length === most && order(one, top[most - 1]!) >= 0) continue
    let at = top.length
    while (at > 0 && order(one, top[at - 1]!) < 0) at--
    top.splice(at, 0, one)
    if (top.length > most) top.pop()
  }
  return top
}

export const likeness: Strategy = {
  name: 'likeness',
  about: 'the cases nearest to the record',
  compares: true,
  rank: nearest,
}
