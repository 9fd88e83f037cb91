import { textFormat } from './kinds.js'
import { around, type Weave } from './format.js'
/**
 * One backtick more than the longest run within. Markdown takes a space from both ends or from none: both get one if the text begins or ends
 * with a backtick, or has spaces of its own there.
 */
function inBackticks(text: string): Weave {
  const longest = Math.max(0, ...(text.match(/`+/g) ?? []).map((run) => run.length))
  const ticks = '`'.repeat(longest + 1)
  const space = /^`|`$|^ .* $/s.test(text) ? ' ' : ''
  return around(ticks + space, text, space + ticks)
}

export const code = textFormat({
  name: 'code',
  about: 'in as many backticks as it needs',
  parameters: [],
  write: (text) => inBackticks(text),
})
