import { defined } from '../invariant.js'
/** From here on sorting everything costs less than keeping so long a list in order. */
const LONG = 64

/**
 * The `most` cases with the highest scores, in order; of equals the earlier. Where few are wanted, the list is gone through once and never
 * sorted: with many cases that would cost more than scoring them.
 */
export function topOf(scores: ArrayLike<number>, cases: ArrayLike<number>, most: number, barred?: ReadonlySet<number>): number[] {
  if (most > LONG) {
    const all = Array.from(cases).filter((index) => !barred?.has(index))
    return all.sort((a, b) => (before(scores, a, b) ? -1 : 1)).slice(0, most)
  }
  const top: number[] = []
  let floor = -Infinity
  for (let i = 0; i < cases.length; i++) {
    const index = defined(cases[i])
    const score = defined(scores[index])
    if (score < floor || barred?.has(index)) continue
    let position = top.length
    while (position > 0 && before(scores, index, defined(top[position - 1]))) position--
    if (position >= most) continue
    top.splice(position, 0, index)
    if (top.length > most) top.pop()
    if (top.length === most) floor = defined(scores[defined(top[most - 1])])
  }
  return top
}

/** Whether a case ranks before another. */
export function before(scores: ArrayLike<number>, index: number, other: number): boolean {
  return defined(scores[index]) > defined(scores[other]) || (scores[index] === scores[other] && index < other)
}
