import { defined } from '../invariant.js'
import { foldSpaces, foldText } from './fold.js'
import type { Reading } from './reading.js'
import type { Shape } from './shape.js'
import { problem } from '../problems/problem.js'
import type { FinishedDocument } from './document/document.js'
import { isRecord } from '../values/data.js'

/** The sentences that ask for required phrases, and that forbid others. */
export function saysAndSaysNot({ mustSay, mustNotSay }: Shape): string {
  const quoted = (texts: readonly string[], last: string) => {
    const all = texts.map((text) => `"${text}"`)
    const end = defined(all.pop())
    return all.length === 0 ? end : `${all.join(', ')} ${last} ${end}`
  }
  return [
    ...(mustSay.length > 0 ? [`The answer must contain ${quoted(mustSay, 'and')}.`] : []),
    ...(mustNotSay.length > 0 ? [`The answer must not contain ${quoted(mustNotSay, 'or')}.`] : []),
  ].join(' ')
}

/** Whether a value has all required phrases and no forbidden one. */
export function sayings({ mustSay, mustNotSay }: Shape, value: unknown, reading: Reading): void {
  if (mustSay.length === 0 && mustNotSay.length === 0) return
  const stated = textsIn(value).map(foldText)
  const whole = isFinished(value) ? [foldText(value.text)] : stated
  const isIn = (texts: readonly string[], words: string) => {
    const wanted = foldWords(words)
    return texts.some((text) => placeOf(text, wanted) >= 0)
  }
  for (const text of mustSay) if (!isIn(whole, text)) reading.report(problem('reply-text-missing', { text }))
  for (const text of mustNotSay) {
    if (!isIn(stated, text)) continue
    const folded = foldSpaces(reading.text)
    const position = placeOf(folded.text, foldWords(text))
    const place =
      position < 0
        ? undefined
        : reading.span(defined(folded.places[position]), defined(folded.places[position + foldText(text).length - 1]) + 1)
    reading.report(problem('reply-text-forbidden', { text }, place))
  }
}

/** Words as `placeOf` looks for them. */
export function foldWords(words: string): string {
  return foldText(words).trim()
}

/** The position of folded words as words of their own in a folded text, or -1: "art" is not in "part". */
export function placeOf(folded: string, wanted: string): number {
  const joins = (character: string | undefined) => character !== undefined && /[\p{L}\p{N}]/u.test(character)
  if (wanted === '') return -1
  for (let position = folded.indexOf(wanted); position >= 0; position = folded.indexOf(wanted, position + 1)) {
    const before = joins(wanted[0]) && joins(folded[position - 1])
    const after = joins(wanted.at(-1)) && joins(folded[position + wanted.length])
    if (!before && !after) return position
  }
  return -1
}

/** All texts of a value, however deep; of a finished document what was written. */
export function textsIn(value: unknown): string[] {
  const texts: string[] = []
  collect(value, texts, 0)
  return texts
}

function collect(value: unknown, texts: string[], depth: number): void {
  if (typeof value === 'string') texts.push(value)
  else if (typeof value === 'object' && value !== null && depth <= 100) {
    if (isFinished(value)) collect(value.passages, texts, depth + 1)
    else for (const key in value) if (Object.hasOwn(value, key)) collect((value as Record<string, unknown>)[key], texts, depth + 1)
  }
}

/** Only what was filled in counts against forbidden phrases; a required phrase may be in the fixed text. */
export function isFinished(value: unknown): value is FinishedDocument {
  return isRecord(value) && isRecord(value['passages']) && Array.isArray(value['segments']) && typeof value['text'] === 'string'
}
