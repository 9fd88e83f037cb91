import { isFinished } from './must-say.js'
import { givenTexts } from './truth/index.js'
import { problem, type Problem } from '../problems/problem.js'
import { likenessOfWords, NEARLY_THE_SAME } from '../values/likeness.js'
import { isRecord } from '../values/data.js'
import { wordsIn } from '../values/words.js'

/** An item is compared with this many before it: answers are no tables. */
const LOOKED_AT = 100
/** A text of fewer words is a label, and labels resemble each other: they are similar if they are equal. */
const LEAST_WORDS = 3

/** The items of a reply's lists that are nearly the same as one before them in the same list: rows, list fields, records in lists. */
export function similarItems(value: unknown): Problem[] {
  const similar: Problem[] = []
  const visit = (item: unknown, path: string, depth: number): void => {
    if (depth > 20) return
    if (Array.isArray(item)) {
      compare(item, path, similar)
      if (item.some((element) => typeof element === 'object'))
        item.forEach((element, i) => visit(element, join(path, String(i + 1)), depth + 1))
    } else if (isRecord(item)) for (const name in item) visit(item[name], join(path, name), depth + 1)
  }
  visit(isFinished(value) ? value.passages : value, '', 0)
  return similar
}

function join(path: string, step: string): string {
  return path === '' ? step : `${path}.${step}`
}

function compare(list: readonly unknown[], path: string, similar: Problem[]): void {
  if (list.length < 2) return
  const words = list.map((item) => (typeof item === 'string' ? wordsIn(item) : isRecord(item) ? givenTexts(item).flatMap(wordsIn) : []))
  words.forEach((text, i) => {
    for (let k = Math.max(0, i - LOOKED_AT); k < i; k++) {
      const other = words[k] ?? []
      if (!isAlike(text, other)) continue
      similar.push(problem('reply-items-alike', { path, item: i + 1, like: k + 1 }))
      break
    }
  })
}

function isAlike(text: readonly string[], other: readonly string[]): boolean {
  if (text.length === 0 || other.length === 0) return false
  if (text.length < LEAST_WORDS || other.length < LEAST_WORDS) return text.join(' ') === other.join(' ')
  // Too different in length to be alike whatever their words are.
  if (Math.min(text.length, other.length) * 6 < Math.max(text.length, other.length)) return false
  return likenessOfWords(text, other) >= NEARLY_THE_SAME
}
