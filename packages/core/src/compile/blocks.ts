import { defined } from '../invariant.js'
import { writtenApart } from '../render/capture.js'
import { runLoop, type Loop } from './loop.js'
import type { Op, Run, Test } from '../render/run.js'
import { described } from '../render/shape.js'
import type { TextOrigin } from '../render/trace.js'

/** The first branch whose condition is true. */
export function whenOp(branches: Branches): Op {
  return described(whenStep(branches), { kind: 'when', branches })
}

type Branches = readonly { readonly test: Test | undefined; readonly body: Op }[]

function whenStep(branches: Branches): Op {
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
  return (run) => defined(wordings[run.choose(place, wordings.length)])(run)
}

interface EachPlan {
  readonly loop: Loop
  readonly body: Op
  readonly otherwise: Op | undefined
  /** What stands between bodies, the line end included. */
  readonly joined: string | undefined
  /** What ends the last body, where `joined` keeps bodies open. */
  readonly lineEnd: string
  readonly from: TextOrigin
}

/** The body for every kept item. A body that writes nothing gets no separator. */
export function eachOp({ loop, body, otherwise, joined, lineEnd, from }: EachPlan): Op {
  return (run) => {
    let written = false as boolean
    const kept = runLoop(loop, run, () => {
      const before = run.out
      if (joined !== undefined && written) run.write(joined, from)
      const { length } = run.out
      body(run)
      if (run.out.length > length) written = true
      else if (run.out !== before) run.back(before)
    })
    if (written && lineEnd !== '') run.write(lineEnd, from)
    if (kept === 0) otherwise?.(run)
  }
}

/** §5.4: what follows is written only if something stood before it. */
export function unlessNothing(before: Op, after: Op): Op {
  const step = (run: Run) => {
    const { length } = run.out
    before(run)
    if (run.out.length !== length) after(run)
  }
  return described(step, { kind: 'unless-nothing', before, after })
}

export function withoutLastLineEnd(op: Op): Op {
  const step = (run: Run) => {
    if (run.trace) {
      const { length } = run.out
      op(run)
      if (run.out.length > length) run.back(run.out.slice(0, -1))
      return
    }
    const text = writtenApart(op, run)
    if (text !== '') run.out += text.slice(0, run.json ? -2 : -1)
  }
  return described(step, { kind: 'without-line-end', step: op })
}
