import { givenTexts } from './truth/index.js'
import { isRecord } from '../values/data.js'
import { likeness, NEARLY_THE_SAME } from '../values/likeness.js'

/** The records of a list; none where the value is no list of records. */
export function itemsOf(value: unknown): readonly Readonly<Record<string, unknown>>[] {
  return Array.isArray(value) && value.every(isRecord) ? value : []
}

/** A list with one item taken from another list: the first there that says something new, those at the same place first. */
export function withItem<T>(list: readonly T[], others: readonly T[], index: number): T[] {
  const rest = list.filter((_, i) => i !== index).map(textOf)
  const isNew = (item: T) => rest.every((text) => likeness(text, textOf(item)) < NEARLY_THE_SAME)
  const candidates = [...others.slice(index, index + 1), ...others]
  const replacement = candidates.find(isNew) ?? candidates[0]
  return list.map((item, i) => (i === index && replacement !== undefined ? replacement : item))
}

function textOf(item: unknown): string {
  return givenTexts(item).join(' ')
}
