import { diffWordsWithSpace } from 'diff'
import type { Colors } from './context.js'

/** Unchanged characters that stay around a difference. */
const AROUND = 48

/**
 * Two texts as one, with the words that differ: in colour, or in brackets where there is none. Long passages without a difference are cut.
 *
 * @param isColoured - Whether colours are shown.
 */
export function wordDiff(before: string, after: string, c: Colors, isColoured: boolean): string {
  const parts = diffWordsWithSpace(before, after)
  return parts
    .map(({ value, added, removed }, i) => {
      if (added) return isColoured ? c.green(value) : `{+${value}+}`
      if (removed) return isColoured ? c.red(value) : `[-${value}-]`
      return shortened(value, i > 0, i < parts.length - 1)
    })
    .join('')
}

function shortened(text: string, hasBefore: boolean, hasAfter: boolean): string {
  const [head, tail] = [hasBefore ? text.slice(0, AROUND) : '', hasAfter ? text.slice(-AROUND) : '']
  return text.length <= head.length + tail.length + 3 ? text : `${head} … ${tail}`
}
