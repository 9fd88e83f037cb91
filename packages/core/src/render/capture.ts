import type { Op, Run } from './run.js'

/** What a step writes, as a text of its own. */
export function captured(op: Op, run: Run): string {
  const { out, trace, lineStart, blanks } = run
  run.out = ''
  run.trace = undefined
  op(run)
  const text = run.out
  Object.assign(run, { out, trace, lineStart, blanks })
  return text
}
