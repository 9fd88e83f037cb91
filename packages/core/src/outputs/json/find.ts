import { readLoose, type Loose } from './loose.js'
import { parseJson } from '../../values/json.js'

/** Brackets that turn out to open nothing are tried only so often, and never more than a few times the text's length is read. */
const MOST_TRIES = 200
const MOST_WORK = 4

/** All objects and lists in a text, in order and side by side: within prose, in fences, one after another. */
export function findJson(text: string): Loose[] {
  const all: Loose[] = []
  const bracket = /[{[]/g
  const last = text.trimEnd().length
  let work = text.length * MOST_WORK + 10_000
  for (let tries = 0; tries < MOST_TRIES && work > 0; tries++) {
    const position = bracket.exec(text)?.index
    if (position === undefined) break
    const { loose: parsed, end } = readLoose(text, position, last)
    work -= end - position
    if (parsed) {
      all.push(parsed)
      bracket.lastIndex = Math.max(parsed.end, position + 1)
    } else bracket.lastIndex = position + 1
  }
  return all
}

/**
 * The value of a text that is JSON and nothing else, or undefined. `JSON.parse` does not report a repeated key: then the looser
 * reader has to look.
 */
export function exactJson(text: string): { readonly value: unknown } | undefined {
  let value: unknown
  try {
    value = parseJson(text)
  } catch {
    return undefined
  }
  let members = 0
  for (let position = text.indexOf('"'); position >= 0; position = text.indexOf('"', position + 1)) {
    let next = position + 1
    while (text.charCodeAt(next) <= 32) next++
    if (text.charCodeAt(next) === 58) members++
  }
  return members > 0 && members !== keysIn(value) ? undefined : { value }
}

/** How many keys the objects within a value have; what is nested deeper than the stack is sure to bear counts as none. */
function keysIn(value: unknown, depth = 0): number {
  if (typeof value !== 'object' || value === null || depth > 100) return 0
  let count = Array.isArray(value) ? 0 : Object.keys(value).length
  for (const item of Object.values(value)) count += keysIn(item, depth + 1)
  return count
}
