import type { Op, Run } from './run.js'

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
