import type { Op, PassageMark, Run } from './run.js'
import { Trace } from './trace.js'

/** What a step writes, as a text of its own. */
export function captured(op: Op, run: Run): string {
  const { out, trace, lineStart, blanks, json } = run
  run.out = ''
  run.trace = undefined
  run.json = false
  op(run)
  const text = run.out
  run.out = out
  run.trace = trace
  run.lineStart = lineStart
  run.blanks = blanks
  run.json = json
  return text
}

/**
 * What a step adds to the text under way, taken out of it: the rest need not be touched, which for a long text means written out once more.
 * Not for traced runs, whose places count from the beginning of the text.
 */
export function writtenApart(op: Op, run: Run): string {
  const { out, lineStart, blanks } = run
  run.out = ''
  run.lineStart = ''
  op(run)
  const text = run.out
  run.out = out
  run.lineStart = lineStart
  run.blanks = blanks
  return text
}

/** The same with the origin of each span, and the places of passages in it. */
export function capturedWhole(op: Op, run: Run): { text: string; trace: Trace; passages: readonly PassageMark[] } {
  const trace = new Trace()
  const passages: PassageMark[] = []
  const { passages: outer } = run
  run.passages = passages
  const text = captured((inner) => {
    inner.trace = trace
    op(inner)
  }, run)
  run.passages = outer
  return { text, trace: trace.take(), passages }
}
