import { textFormat } from './kinds.js'
import { around, type Weave } from './format.js'
/** One backtick more than the longest run within; a space inside if the text begins or ends with one. */
function inBackticks(text: string): Weave {
  const longest = Math.max(0, ...(text.match(/`+/g) ?? []).map((run) => run.length))
  const ticks = '`'.repeat(longest + 1)
  return around(ticks + (text.startsWith('`') ? ' ' : ''), text, (text.endsWith('`') ? ' ' : '') + ticks)
}

export const code = textFormat({
  name: 'code',
  about: 'in as many backticks as it needs',
  parameters: [],
  write: (text) => inBackticks(text),
})
