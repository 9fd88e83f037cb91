import type { Reading } from '../reading.js'
import type { Extent } from './loose.js'
import { nearest } from '../../problems/suggest.js'
import { ASKED_LOCALE, readCell } from '../../values/cells.js'
import { isRecord, own, put, shown } from '../../values/data.js'
import { isDate } from '../../values/dates.js'
import { readWrittenDate } from '../../values/written-dates.js'
import { foldHeading } from '../../values/row.js'
import type { Declared, ValueType } from '../../values/types.js'

/** Where values stand in the reply, by the path that leads to them. */
export type Locate = (path: readonly string[]) => Extent | undefined

/** Unknown keys of one object that are listed one by one. */
const MOST_EXTRAS = 20

/** Converts the data of a reply to the declared fields: nearly valid values are repaired and reported. */
export class Loosening {
  constructor(
    private readonly reading: Reading,
    private readonly locate: Locate,
    /** Whether unexpected fields are kept: a JSON Schema may allow them. */
    private readonly keepsExtras: boolean,
  ) {}

  record(data: Record<string, unknown>, fields: readonly Declared[], path: readonly string[]): Record<string, unknown> {
    const record: Record<string, unknown> = {}
    const rest = new Map(Object.keys(data).map((key) => [key, own(data, key)]))
    const folded = new Map([...rest.keys()].reverse().map((key) => [foldHeading(key), key]))
    for (const field of fields) {
      const key = this.keyOf(field, rest, folded, path)
      if (key === undefined) continue
      put(record, field.name, this.value(rest.get(key), field, [...path, key]))
      rest.delete(key)
    }
    if (this.keepsExtras) for (const [key, value] of rest) put(record, key, value)
    else this.sayExtras([...rest.keys()], path)
    return record
  }

  private sayExtras(keys: readonly string[], path: readonly string[]): void {
    for (const key of keys.slice(0, MOST_EXTRAS))
      this.say('extra', `"${[...path, key].join('.')}" was not requested and is ignored`, [...path, key])
    const more = keys.length - MOST_EXTRAS
    if (more > 0) this.say('extra', `${more} more keys were not requested and are ignored`, path)
  }

  /** The key under which a reply gives a field: its name, or the same in another writing. */
  private keyOf(
    { name }: Declared,
    rest: ReadonlyMap<string, unknown>,
    folded: ReadonlyMap<string, string>,
    path: readonly string[],
  ): string | undefined {
    if (rest.has(name)) return name
    const heading = foldHeading(name)
    const near = heading === '' ? undefined : folded.get(heading)
    const key = near !== undefined && rest.has(near) ? near : undefined
    if (key !== undefined) this.say('key', `the key "${key}" is read as "${name}"`, [...path, key])
    return key
  }

  private say(repair: 'extra' | 'key' | 'type' | 'label', message: string, path: readonly string[]): void {
    this.reading.repair(repair, message, this.locate(path))
  }

  private value(value: unknown, field: Declared, path: readonly string[]): unknown {
    if (value === null || value === undefined) return value
    const missing =
      typeof value === 'string' && field.optional && field.type.kind !== 'text' && /^(?:|null|none|n\/a|unknown|-|–)$/i.test(value.trim())
    if (missing) {
      this.say('type', `"${path.join('.')}" is ${shown(value)}, read as missing`, path)
      return null
    }
    return this.typed(value, field.type, path)
  }

  private typed(value: unknown, type: ValueType, path: readonly string[]): unknown {
    switch (type.kind) {
      case 'text':
        return typeof value === 'number' || typeof value === 'boolean' ? this.read(value, String(value), 'text', path) : value
      case 'integer':
      case 'number':
      case 'boolean':
        return typeof value === 'string' ? this.cell(value, type, path) : value
      case 'date':
        return typeof value === 'string' && !isDate(value) ? this.date(value, path) : value
      case 'choice':
        return typeof value === 'string' && !type.of.includes(value) ? this.option(value, type.of, path) : value
      case 'list':
        return this.list(value, type.item, path)
      case 'record': {
        const record =
          Array.isArray(value) && value.length === 1 && isRecord(value[0]) ? this.read(value, value[0], 'a record', path) : value
        return isRecord(record) && type.fields ? this.record(record, type.fields, path) : record
      }
      case 'table':
        return this.list(value, { kind: 'record', ...(type.fields && { fields: type.fields }) }, path)
      default:
        return value
    }
  }

  private read<V>(from: unknown, to: V, as: string, path: readonly string[]): V {
    this.say('type', `"${path.join('.')}" is ${shown(from)}, read as ${as}`, path)
    return to
  }

  private cell(value: string, type: ValueType, path: readonly string[]): unknown {
    let fits = value.trim() !== ''
    const read = readCell(value, type, ASKED_LOCALE, () => (fits = false))
    return fits ? this.read(value, read, `${type.kind === 'integer' ? 'an' : 'a'} ${type.kind}`, path) : value
  }

  private date(value: string, path: readonly string[]): unknown {
    const day = value.trim()
    const iso =
      isDate(day.slice(0, 10)) && (day.length === 10 || /^[T ]\d\d:\d\d/.test(day.slice(10))) ? day.slice(0, 10) : readWrittenDate(day)
    return iso === undefined ? value : this.read(value, iso, iso, path)
  }

  private option(value: string, of: readonly string[], path: readonly string[]): unknown {
    const text = foldedLabel(value, of)
    if (text === undefined) return value
    this.say('label', `"${path.join('.')}" is "${value}", read as "${text}"`, path)
    return text
  }

  private list(value: unknown, item: ValueType, path: readonly string[]): unknown {
    const list: unknown = Array.isArray(value) ? value : this.asList(value, item, path)
    return Array.isArray(list)
      ? list.map((element: unknown, i) => (element === null ? element : this.typed(element, item, [...path, String(i + 1)])))
      : list
  }

  private asList(value: unknown, item: ValueType, path: readonly string[]): unknown {
    if (typeof value !== 'string')
      return isRecord(value) && item.kind === 'record' ? this.read(value, [value], 'a list of one', path) : value
    if (item.kind === 'record') return value
    const parts = value.split(item.kind === 'text' ? /\s*[;\n]\s*/ : /\s*[;,\n]\s*/).filter((part) => part !== '')
    return this.read(value, parts, `a list of ${parts.length}`, path)
  }
}

/** Longer than this, a text is no label with something around it. */
export const LONGEST_LABEL = 500

/** The label that a word means, whatever its case, quotes, marks and full stop. */
export function foldedLabel(text: string, labels: readonly string[]): string | undefined {
  if (text.length > LONGEST_LABEL) return undefined
  const folded = foldLabel(text)
  return labels.find((label) => label === text) ?? labels.find((label) => foldLabel(label) === folded)
}

export function foldLabel(text: string): string {
  return text
    .trim()
    .replace(/^["'“”‘’`*_([]+|["'“”‘’`*_)\]]+$/gu, '')
    .replace(/[.,;:!]+["'“”‘’`*_]*$/u, '')
    .trim()
    .replace(/[\s_-]+/gu, ' ')
    .toLowerCase()
}

/** The key of a reply that was most likely meant for a missing field. */
export function nearKey(field: string, data: Record<string, unknown>, fields: readonly Declared[]): string | undefined {
  return nearest(
    field,
    Object.keys(data).filter((key) => !fields.some((field) => field.name === key)),
  )
}
