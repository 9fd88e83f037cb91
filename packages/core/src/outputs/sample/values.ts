import { defined } from '../../invariant.js'
import { keyword, likelyOption, phrase, sentences } from './prose.js'
import type { SampleRandom } from './random.js'
import type { Automaton } from '../../values/pattern.js'
import { wholePattern } from '../../values/pattern.js'
import { acceptType, topLevel } from '../../values/accept.js'
import type { Problem } from '../../problems/problem.js'
import { put } from '../../values/data.js'
import type { DateType, Declared, ListType, NumberType, TextType, ValueType } from '../../values/types.js'

const MAX_TRIES = 100

/** No sample is possible, and why. */
export class NoSample extends Error {
  override readonly name: string = 'NoSample'
}

/** A sample value that its declaration accepts. */
export function sampleValue(type: ValueType, random: SampleRandom, name: string): unknown {
  for (let tries = 0; tries < MAX_TRIES; tries++) {
    const value = candidate(type, random, name)
    const faults: Problem[] = []
    acceptType(value, type, topLevel(name), (p) => faults.push(p))
    if (faults.length === 0 && value !== '') return value
  }
  throw new NoSample(`no value was found for "${name}"`)
}

export function sampleRecord(fields: readonly Declared[], random: SampleRandom): Record<string, unknown> {
  const record: Record<string, unknown> = {}
  for (const field of fields) {
    const skipped = (field.optional || field.default !== undefined) && random.next() < 0.4
    if (!skipped)
      put(
        record,
        field.name,
        field.example !== undefined && 'pattern' in field.type ? field.example : sampleValue(field.type, random, field.name),
      )
  }
  return record
}

function candidate(type: ValueType, random: SampleRandom, name: string): unknown {
  switch (type.kind) {
    case 'text':
      return sampleText(type, random, name)
    case 'integer':
    case 'number':
      return sampleNumber(type, random)
    case 'boolean':
      return random.next() < 0.5
    case 'date':
    case 'date-time':
      return sampleDate(type, random)
    case 'choice':
      return likelyOption(random, type.of)
    case 'list':
      return sampleList(type, random, name)
    case 'table': {
      const row: ValueType = { kind: 'record', ...(type.fields && { fields: type.fields }) }
      return sampleList({ ...type, kind: 'list', item: row }, random, name)
    }
    case 'record':
      return sampleRecord(type.fields ?? [], random)
    default:
      return `${keyword(random)} ${keyword(random)}`
  }
}

/** Words and characters up to which a text is a phrase, and not sentences. */
const [PHRASE_WORDS, PHRASE_LENGTH] = [10, 60]
const NAMES = /^(?:heading|headline|title|name|subject)$/

function sampleText(
  { minWords = 1, maxWords = Infinity, minLength = 0, maxLength = Infinity, pattern }: TextType,
  random: SampleRandom,
  name: string,
): string {
  if (pattern !== undefined) return textOf(wholePattern(pattern).automaton, random)
  const required = random.takeRequired(maxWords, maxLength)
  const used = required?.split(/\s+/).length ?? 0
  const [least, most] = [Math.max(0, minWords - used), maxWords - used]
  const isPhrase = NAMES.test(name) || maxWords <= PHRASE_WORDS || maxLength <= PHRASE_LENGTH
  const plain =
    most < 1
      ? ''
      : isPhrase
        ? phrase(random, least, Math.min(most, least + 7), { isName: NAMES.test(name) })
        : sentences(random, least, most).join(' ')
  let text = [required, plain].filter((part) => part !== undefined && part !== '').join(isPhrase ? ' ' : '. ')
  while (text.length < minLength) text += maxWords === Infinity ? ` ${keyword(random)}` : keyword(random)
  return text.length > maxLength ? text.slice(0, maxLength).trim() : text
}

function sampleNumber({ kind, min, max }: NumberType, random: SampleRandom): number {
  const low = min ?? Math.min(0, max ?? 0)
  const high = max ?? low + 1000
  const fitting = random.facts.numbers.filter(
    (number) => number >= low && number <= high && (kind === 'number' || Number.isInteger(number)),
  )
  if (fitting.length > 0) return random.of(fitting)
  if (kind === 'integer') return random.whole(Math.ceil(low), Math.floor(high))
  const number = Math.round((low + random.next() * (high - low)) * 10) / 10
  return Math.min(Math.max(number, low), high)
}

const DAY = 86_400_000

function sampleDate({ kind, min, max }: DateType, random: SampleRandom): string {
  const low = Date.parse(min ?? '1890-01-01')
  const high = Math.max(low, Date.parse(max ?? '2026-12-31'))
  const iso = new Date(low + random.whole(0, Math.floor((high - low) / DAY)) * DAY).toISOString()
  return kind === 'date' ? iso.slice(0, 10) : `${iso.slice(0, 19)}Z`
}

function sampleList({ item, minItems = 1, maxItems = minItems + 2, unique }: ListType, random: SampleRandom, name: string): unknown[] {
  const count = random.whole(minItems, Math.max(minItems, Math.min(maxItems, minItems + 4)))
  const list: unknown[] = []
  for (let tries = 0; list.length < count && tries < MAX_TRIES; tries++) {
    // Items are keywords rather than sentences.
    const value = item.kind === 'text' && isPlain(item) ? keyword(random) : sampleValue(item, random, name)
    if (!unique || !list.includes(value)) list.push(value)
  }
  return list
}

function isPlain({ minWords = 1, minLength, maxLength, pattern }: TextType): boolean {
  return minWords === 1 && minLength === undefined && maxLength === undefined && pattern === undefined
}

const CHARACTERS = Array.from('abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_ .,:;/@#+()[]{}!?&%*="\'<>|~^$\\äöüéß')
/** After this many characters a text takes the shortest way to its end. */
const LONG_ENOUGH = 12

/** A text that an automaton accepts, by a walk through it. */
function textOf({ steps, start }: Automaton, random: SampleRandom): string {
  const distance = distancesToEnd(steps)
  let text = ''
  for (let state = start; ;) {
    const step = defined(steps[state])
    if (step.kind === 'end') return text
    if (step.kind === 'fork') {
      const nearest = [...step.to].sort((a, b) => defined(distance[a]) - defined(distance[b]))
      state = text.length >= LONG_ENOUGH || random.next() < 0.3 ? defined(nearest[0]) : random.of(step.to)
      continue
    }
    if (step.kind === 'character') {
      const fitting = CHARACTERS.filter((character) => step.test.test(character))
      if (fitting.length === 0) throw new NoSample('its pattern needs rare characters')
      text += random.of(fitting)
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
          : defined(distance[step.to]) + (step.kind === 'character' ? 1 : 0)
      if (next < defined(distance[i])) {
        distance[i] = next
        changed = true
      }
    })
  }
  return distance
}
