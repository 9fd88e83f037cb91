import type { Context } from './context.js'
import { compileText } from './text.js'
import type { Report } from '../problems/problem.js'
import type { Text } from '../text/nodes.js'

/** Whether a text writes free text from outside: the mark goes on to what the text is bound to. */
export function writesOutside(text: Text, context: Context): boolean {
  let found = false
  const report: Report = (p) => {
    if (p.code === 'outside-unfenced') found = true
  }
  compileText(text, { ...context, role: 'user', shared: { ...context.shared, report } }, true)
  return found
}
