import { defined } from '../invariant.js'
import { problem, type Report } from '../problems/problem.js'
import type { Source } from '../source/source.js'

const BEYOND_ASCII = /[\u0080-\uffff]/
const INVISIBLE = /\p{Cf}/gu
const EMOJI_BEFORE = /[\p{Extended_Pictographic}\p{Emoji_Modifier}\uFE0F]$/u
const EMOJI_AFTER = /^\p{Extended_Pictographic}/u

/** Invisible and bidirectional characters in a text (language §1.7); a joiner within an emoji is none, and a mark at the start is dropped. */
export function reportInvisible(source: Source, allowed: ReadonlySet<string>, report: Report): void {
  if (!BEYOND_ASCII.test(source.text)) return
  for (const match of source.text.matchAll(INVISIBLE)) {
    const position = match.index
    if (position === 0 && match[0] === '\uFEFF') continue
    const character = `U+${defined(match[0].codePointAt(0)).toString(16).toUpperCase().padStart(4, '0')}`
    const end = position + match[0].length
    const joins =
      match[0] === '\u200D' &&
      EMOJI_BEFORE.test(source.text.slice(Math.max(0, position - 2), position)) &&
      EMOJI_AFTER.test(source.text.slice(end, end + 2))
    if (!joins && !allowed.has(character)) report(problem('invisible-character', { character }, source.span(position, end)))
  }
}
