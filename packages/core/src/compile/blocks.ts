import { problem } from '../problems/problem.js'
import type { Get, Op, Test } from '../render/run.js'
import type { Descent } from '../render/trace.js'
import { isMissing, isRecord, own, shown } from '../values/data.js'
import { settle } from '../values/write.js'

/** The first branch that holds. */
export function whenOp(branches: readonly { readonly test: Test | undefined; readonly body: Op }[]): Op {
  const [first, second] = branches
  if (branches.length === 1 && first?.test) {
    const { test, body } = first
    return (run) => {
      if (test(run)) body(run)
    }
  }
  if (branches.length === 2 && first?.test && second && !second.test) {
    const { test, body } = first
    return (run) => (test(run) ? body(run) : second.body(run))
  }
  return (run) => branches.find((branch) => !branch.test || branch.test(run))?.body(run)
}

export function varyOp(place: string, wordings: readonly Op[]): Op {
  return (run) => wordings[run.choose(place, wordings.length)]!(run)
}

interface EachPlan {
  readonly get: Get
  readonly path: string
  readonly slot: number
  readonly counter: number
  readonly keep: Test | undefined
  readonly body: Op
  readonly otherwise: Op | undefined
  /** What stands between bodies, the line end included. */
  readonly joined: string | undefined
  /** What ends the last body, where `joined` keeps bodies open. */
  readonly lineEnd: string
  readonly from: Descent
}

/** The body for every kept item. A body that writes nothing gets no separator. */
export function eachOp(plan: EachPlan): Op {
  const { get, slot, counter, keep, body, otherwise, joined, lineEnd, from } = plan
  return (run) => {
    const items = itemsOf(get(run), plan.path, run.fail.bind(run))
    const savedItem = run.locals[slot]
    const savedCount = run.locals[counter]
    let kept = 0
    let written = false
    for (let i = 0; i < items.length; i++) {
      run.repeat()
      run.locals[slot] = settle(items[i])
      run.locals[counter] = kept + 1
      run.positions[slot] = i + 1
      if (run.trace) run.trace.at(run.positions)
      if (keep && !keep(run)) continue
      kept++
      const before = run.out
      if (joined !== undefined && written) run.write(joined, from)
      const { length } = run.out
      body(run)
      if (run.out.length > length) written = true
      else if (run.out !== before) run.back(before)
    }
    if (written && lineEnd !== '') run.write(lineEnd, from)
    run.locals[slot] = savedItem
    run.locals[counter] = savedCount
    if (kept === 0) otherwise?.(run)
  }
}

function itemsOf(value: unknown, path: string, fail: (found: ReturnType<typeof problem>) => never): readonly unknown[] {
  if (isMissing(value)) return []
  if (Array.isArray(value)) return value
  if (isRecord(value)) return Object.keys(value).map((key) => ({ key, value: own(value, key) }))
  return fail(problem('each-not-list', { path, found: shown(value) }))
}

/** §5.4: what follows is written only if something stood before it. */
export function unlessNothing(before: Op, after: Op): Op {
  return (run) => {
    const { length } = run.out
    before(run)
    if (run.out.length !== length) after(run)
  }
}

export function withoutLastLineEnd(op: Op): Op {
  return (run) => {
    const { length } = run.out
    op(run)
    if (run.out.length > length) run.back(run.out.slice(0, run.json ? -2 : -1))
  }
}
