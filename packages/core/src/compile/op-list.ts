import type { Op, Run } from '../render/run.js'
import type { Descent } from '../render/trace.js'

interface FixedRun {
  text: string
  readonly lengths: number[]
  readonly from: Descent[]
}

/** Collects steps; fixed texts that meet become one, so that a record costs only its values. */
export class OpList {
  private readonly steps: (Op | FixedRun)[] = []

  fixed(text: string, from: Descent): void {
    if (text === '') return
    const last = this.steps.at(-1)
    if (last && typeof last !== 'function') {
      last.text += text
      last.lengths.push(text.length)
      last.from.push(from)
    } else this.steps.push({ text, lengths: [text.length], from: [from] })
  }

  op(op: Op): void {
    this.steps.push(op)
  }

  /** One step that does all of them. */
  done(): Op {
    const ops = this.steps.map((step) => (typeof step === 'function' ? step : fixedOp(step)))
    if (ops.length === 0) return () => undefined
    if (ops.length === 1) return ops[0]!
    if (ops.length === 2) {
      const [first, second] = ops as [Op, Op]
      return (run) => {
        first(run)
        second(run)
      }
    }
    return (run) => {
      for (let i = 0; i < ops.length; i++) ops[i]!(run)
    }
  }
}

function fixedOp({ text, lengths, from }: FixedRun): Op {
  return (run: Run) => {
    run.out += text
    if (!run.trace) return
    let end = run.out.length - text.length
    for (let i = 0; i < lengths.length; i++) run.trace.add((end += lengths[i]!), from[i]!)
  }
}
