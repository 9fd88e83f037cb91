import { defined } from '../../invariant.js'
import type { Lot } from './lot.js'
import type { Automaton } from '../../values/pattern.js'
import { wholePattern } from '../../values/pattern.js'
import { acceptType, topLevel } from '../../values/accept.js'
import type { Problem } from '../../problems/problem.js'
import { put } from '../../values/data.js'
import type { DateType, Declared, ListType, NumberType, TextType, ValueType } from '../../values/types.js'

/** Words of no importance: letters only, so that they cannot be taken for a form's own signs. */
const WORDS =
  'amber anchor barrel basin beacon bench blanket bottle bracket brass button candle canvas chest copper cradle drawer driftwood feather flagon funnel garden hammer handle harbour harness hinge kettle ladder lantern lattice linen locker marsh mirror needle oar paddle pebble pencil pewter pocket quilt ribbon rope rudder saddle shutter spindle stool tallow thimble timber trunk valley varnish wagon walnut weather wicker window wool'.split(
    ' ',
  )

/** As many words. */
export function wordsBy(lot: Lot, count: number): string {
  const { words = NO_WORDS } = lot.known
  const plain = words.length === 0 ? WORDS.length : Math.max(0, LEAST_WORDS - words.length)
  let text = ''
  for (let i = 0; i < count; i++) {
    const at = lot.whole(0, words.length + plain - 1)
    text += `${i === 0 ? '' : ' '}${words[at] ?? defined(WORDS[at - words.length])}`
  }
  return text
}

const NO_WORDS: readonly string[] = []

/** Fewer words than these repeat themselves. */
const LEAST_WORDS = 16

const MOST_TRIES = 100

/** What cannot be made up, and why. */
export class NoSample extends Error {
  override readonly name: string = 'NoSample'
}

/** A made-up value that its declaration accepts. */
export function sampleValue(type: ValueType, lot: Lot, name: string): unknown {
  for (let tries = 0; tries < MOST_TRIES; tries++) {
    const value = candidate(type, lot, name)
    const faults: Problem[] = []
    acceptType(value, type, topLevel(name), (p) => faults.push(p))
    if (faults.length === 0 && value !== '') return value
  }
  throw new NoSample(`no value was found for "${name}"`)
}

export function sampleRecord(fields: readonly Declared[], lot: Lot): Record<string, unknown> {
  const record: Record<string, unknown> = {}
  for (const field of fields) {
    const skipped = (field.optional || field.default !== undefined) && lot.next() < 0.4
    if (!skipped)
      put(
        record,
        field.name,
        field.example !== undefined && 'pattern' in field.type ? field.example : sampleValue(field.type, lot, field.name),
      )
  }
  return record
}

function candidate(type: ValueType, lot: Lot, name: string): unknown {
  switch (type.kind) {
    case 'text':
      return sampleText(type, lot)
    case 'integer':
    case 'number':
      return sampleNumber(type, lot)
    case 'boolean':
      return lot.next() < 0.5
    case 'date':
    case 'date-time':
      return sampleDate(type, lot)
    case 'choice':
      return lot.of(type.of)
    case 'list':
      return sampleList(type, lot, name)
    case 'table': {
      const row: ValueType = { kind: 'record', ...(type.fields && { fields: type.fields }) }
      return sampleList({ ...type, kind: 'list', item: row }, lot, name)
    }
    case 'record':
      return sampleRecord(type.fields ?? [], lot)
    default:
      return wordsBy(lot, 2)
  }
}

function sampleText({ minWords = 1, maxWords, minLength = 0, maxLength = Infinity, pattern }: TextType, lot: Lot): string {
  if (pattern !== undefined) {
    const { automaton } = wholePattern(pattern)
    return textOf(automaton, lot)
  }
  const said = lot.saying(maxWords ?? Infinity, maxLength)
  const count = lot.whole(minWords, maxWords ?? minWords + 7) - (said?.split(/\s+/).length ?? 0)
  let text = [said, wordsBy(lot, Math.max(0, count))].filter((part) => part !== undefined && part !== '').join(' ')
  while (text.length < minLength) text += maxWords === undefined ? ` ${lot.of(WORDS)}` : lot.of(WORDS)
  return text.length > maxLength ? text.slice(0, maxLength).trim() : text
}

function sampleNumber({ kind, min, max }: NumberType, lot: Lot): number {
  const low = min ?? Math.min(0, max ?? 0)
  const high = max ?? low + 1000
  const fitting = (lot.known.numbers ?? []).filter((one) => one >= low && one <= high && (kind === 'number' || Number.isInteger(one)))
  if (fitting.length > 0) return lot.of(fitting)
  if (kind === 'integer') return lot.whole(Math.ceil(low), Math.floor(high))
  const number = Math.round((low + lot.next() * (high - low)) * 10) / 10
  return Math.min(Math.max(number, low), high)
}

const DAY = 86_400_000

function sampleDate({ kind, min, max }: DateType, lot: Lot): string {
  const low = Date.parse(min ?? '1890-01-01')
  const high = Math.max(low, Date.parse(max ?? '2026-12-31'))
  const iso = new Date(low + lot.whole(0, Math.floor((high - low) / DAY)) * DAY).toISOString()
  return kind === 'date' ? iso.slice(0, 10) : `${iso.slice(0, 19)}Z`
}

function sampleList({ item, minItems = 1, maxItems = minItems + 2, unique }: ListType, lot: Lot, name: string): unknown[] {
  const count = lot.whole(minItems, Math.max(minItems, Math.min(maxItems, minItems + 4)))
  const list: unknown[] = []
  for (let tries = 0; list.length < count && tries < MOST_TRIES; tries++) {
    const one = sampleValue(item, lot, name)
    if (!unique || !list.includes(one)) list.push(one)
  }
  return list
}

const SIGNS = Array.from('abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_ .,:;/@#+()[]{}!?&%*="\'<>|~^$\\äöüéß')
/** After so many signs a text goes the shortest way to its end. */
const LONG_ENOUGH = 12

/** A text that an automaton accepts, by a walk through it. */
function textOf({ steps, start }: Automaton, lot: Lot): string {
  const distance = distancesToEnd(steps)
  let text = ''
  for (let state = start; ;) {
    const step = defined(steps[state])
    if (step.kind === 'end') return text
    if (step.kind === 'fork') {
      const nearest = [...step.to].sort((a, b) => defined(distance[a]) - defined(distance[b]))
      state = text.length >= LONG_ENOUGH || lot.next() < 0.3 ? defined(nearest[0]) : lot.of(step.to)
      continue
    }
    if (step.kind === 'sign') {
      const fitting = SIGNS.filter((sign) => step.test.test(sign))
      if (fitting.length === 0) throw new NoSample('its pattern needs rare characters')
      text += lot.of(fitting)
    }
    state = step.to
    if (text.length > 10_000) throw new NoSample('its pattern needs very long texts')
  }
}

function distancesToEnd(steps: Automaton['steps']): number[] {
  const distance = steps.map((step) => (step.kind === 'end' ? 0 : Infinity))
  for (let changed = true; changed;) {
    changed = false
    steps.forEach((step, i) => {
      if (step.kind === 'end') return
      const next =
        step.kind === 'fork'
          ? Math.min(...step.to.map((to) => defined(distance[to])))
          : defined(distance[step.to]) + (step.kind === 'sign' ? 1 : 0)
      if (next < defined(distance[i])) {
        distance[i] = next
        changed = true
      }
    })
  }
  return distance
}
