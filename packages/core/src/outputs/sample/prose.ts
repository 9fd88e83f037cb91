import { defined } from '../../invariant.js'
import { wordCount } from '../../values/accept.js'
import { stemOf, type Fact } from './facts.js'
import type { SampleRandom } from './random.js'

/** Sentences of one to eight words that are true of anything, by their length: they fill what facts leave. */
const FILLERS: readonly (readonly string[])[] = [
  ['Complete.', 'Undamaged.'],
  ['Nothing more.', 'Please look.'],
  ['Look more closely.', 'It is complete.', 'The marks remain.'],
  ['It is well kept.', 'Every part is there.', 'It shows some wear.'],
  ['The record gives no more.', 'Nothing else has been recorded.', 'It is still in use.'],
  ['The rest is in the record.', 'It is shown as it is.', 'Its story is still being told.'],
  ['Its condition has been checked with care.', 'Anyone may ask to see it again.'],
  ['There is more to read in the record.', 'It has been looked after for many years.'],
]

/** Plain words that claim nothing: for keywords and texts that no fact fits. */
const WORDS =
  'amber anchor barrel basin beacon blanket bottle bracket button candle canvas chest cradle drawer feather flagon funnel garden hammer handle harbour hinge kettle ladder lantern lattice linen locker mirror needle paddle pebble pencil pocket quilt ribbon rope rudder saddle shutter spindle stool thimble timber trunk valley varnish wagon weather wicker window wool'.split(
    ' ',
  )

/** Sentences with `min` to `max` words together. */
export function sentences(random: SampleRandom, min: number, max: number): string[] {
  const target = random.whole(min, Math.min(max, min + 8))
  const written: string[] = []
  let words = 0
  const add = (sentence: string) => {
    written.push(sentence)
    words += wordCount(sentence)
  }
  const unused = random.sentences(() => factSentences(random))
  for (let i = 0; i < unused.length && words < target;) {
    if (words + wordCount(defined(unused[i])) > max) i++
    else add(defined(unused.splice(i, 1)[0]))
  }
  while (words < target) add(filler(random, target - words, written.at(-1)))
  return written
}

/** A text of `min` to `max` words that is no sentence: a heading, a keyword, the cell of a row. */
export function phrase(random: SampleRandom, min: number, max: number, options: { readonly isName?: boolean } = {}): string {
  const { subject, named } = random.facts
  const texts = options.isName ? [subject] : [subject, ...named.flatMap(({ value }) => (typeof value === 'number' ? [] : value))]
  const fits = (text: string) => wordCount(text) >= min && wordCount(text) <= max
  const lists = named.flatMap(({ value }) => (typeof value === 'object' ? [`${subject} of ${joined(value)}`] : []))
  const short = texts.filter(fits)
  const fitting = short.length > 0 ? short : lists.filter(fits)
  if (fitting.length > 0) return random.of(fitting)
  return wordsOf(random, random.whole(Math.max(1, min), Math.max(1, Math.min(max, min + 2))))
}

/** A word of the record, or a plain one. */
export function keyword(random: SampleRandom): string {
  const { words } = random.facts
  return words.length > 0 && random.next() < 0.95 ? random.of(words) : random.of(WORDS)
}

/** This many words, which make no sentence. */
export function wordsOf(random: SampleRandom, count: number): string {
  return Array.from({ length: count }, () => random.of(WORDS)).join(' ')
}

/** The option that shares a word with the record, now and then another: a model is not always right. */
export function likelyOption(random: SampleRandom, options: readonly string[]): string {
  const other = random.of(options)
  const { stems } = random.facts
  const shared = options.map((option) => option.split(/\P{L}+/u).filter((word) => stems.has(stemOf(word))).length)
  const most = Math.max(...shared)
  return most === 0 || random.next() < 0.15 ? other : random.of(options.filter((_, i) => shared[i] === most))
}

/** Sentences from the facts: first what the record is, then the rest in random order. */
function factSentences(random: SampleRandom): string[] {
  const { subject, named } = random.facts
  const left = [...named]
  const take = (wanted: (fact: Fact) => boolean): Fact | undefined => {
    const position = left.findIndex(wanted)
    return position < 0 ? undefined : left.splice(position, 1)[0]
  }
  const parts = take(({ value }) => typeof value === 'object')
  const year = take(({ label, value }) => typeof value === 'number' && isParticiple(label))
  const maker = year && take(({ label, value }) => typeof value === 'string' && /^(?:maker|author|painter|by)$/i.test(label))
  const opening = [
    subject,
    ...(parts ? [joined(parts.value)] : []),
    ...(year ? [`${year.label} in ${String(year.value)}${maker ? ` by ${String(maker.value)}` : ''}`] : []),
  ]
  const others: string[] = []
  while (left.length > 0) others.push(sentenceOf(defined(left.splice(random.whole(0, left.length - 1), 1)[0]), random))
  return [`${opening.join(', ')}.`, ...others]
}

const UNITS = /^(.+) (mm|cm|m|g|kg|km|percent)$/

function sentenceOf({ label, value }: Fact, random: SampleRandom): string {
  const [, name = label, unit] = UNITS.exec(label) ?? []
  const what = unit === undefined ? joined(value) : `${joined(value)} ${unit}`
  if (/^(?:status|state|condition|place)$/i.test(name)) return `It is ${what}.`
  if (isParticiple(name)) return `It was ${name}${typeof value === 'number' ? ' in' : ':'} ${what}.`
  const verb = /s$/.test(name) && !/ss$/.test(name) ? 'are' : 'is'
  return `${random.of(['Its', 'The'])} ${name} ${verb} ${what}.`
}

function isParticiple(label: string): boolean {
  return /^(?:\p{L}+ed|made|built|found|written|begun|sold|bought)$/iu.test(label)
}

function joined(value: Fact['value']): string {
  if (typeof value !== 'object') return String(value)
  return value.length < 2 ? value.join('') : `${value.slice(0, -1).join(', ')} and ${value.at(-1) ?? ''}`
}

/** A sentence of at most this many words, other than the last one. */
function filler(random: SampleRandom, words: number, last: string | undefined): string {
  // All that is left in one sentence, or a part that leaves at least two words.
  const length = words <= FILLERS.length ? words : random.whole(4, FILLERS.length - 1)
  const list = FILLERS[length - 1] ?? []
  const others = list.filter((sentence) => sentence !== last)
  return random.of(others.length > 0 ? others : list)
}
