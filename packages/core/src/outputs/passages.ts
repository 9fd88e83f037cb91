import type { PassageSegment, TextSegment } from './shape.js'
import { ASKED_LOCALE, readCell } from '../values/cells.js'
import { isDate } from '../values/dates.js'
import { readWrittenDate } from '../values/written-dates.js'
import { wordCount } from '../values/accept.js'
import type { Declared } from '../values/types.js'

const NUMBERS = ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve']
const NUMBER = `(\\d{1,6}|${NUMBERS.join('|')}|an?|single)`
/** What may be counted in a passage, and how a text is counted. */
const UNITS = {
  word: { source: 'words?', count: wordCount },
  bullet: {
    source: 'bullets?(?: points?)?',
    count: (text: string) => linesOf(text).filter((line) => /^\s*(?:[-*+•]|\d+[.)])\s/.test(line)).length,
  },
  paragraph: { source: 'paragraphs?', count: (text: string) => text.split(/\n[ \t]*\n\s*/).filter((part) => part.trim() !== '').length },
  sentence: { source: 'sentences?', count: sentenceCount },
  line: { source: 'lines?', count: (text: string) => linesOf(text).length },
} as const
type Unit = keyof typeof UNITS

/** How much of what a passage has: found in the words of its guidance. */
export interface Amount {
  readonly unit: Unit
  readonly min: number
  readonly max: number
}

/** Amounts in the words of a guidance, the more specific first. `N` is a number, `U` a unit with up to two words before it. */
const WORDINGS: readonly { readonly source: string; readonly amount: (n: number, m: number) => readonly [number, number] }[] = [
  { source: '(?:between )?N(?: to | and | or | ?[-–] ?)N U', amount: (n, m) => [n, m] },
  { source: '(?:at most|up to|no more than|not more than|maximum(?: of)?|max\\.?) N U', amount: (n) => [0, n] },
  { source: '(?:under|below|fewer than|less than) N U', amount: (n) => [0, n - 1] },
  { source: '(?:at least|no fewer than|not fewer than|no less than|minimum(?: of)?|min\\.?) N U', amount: (n) => [n, Infinity] },
  { source: '(?:over|more than) N U', amount: (n) => [n + 1, Infinity] },
  { source: '(?:about|around|roughly|some|approximately|ca\\.?|c\\.) N U', amount: (n) => [Math.floor(n * 0.8), Math.ceil(n * 1.2)] },
  { source: '(?:exactly )?N U', amount: (n) => [n, n] },
]

const readings = Object.keys(UNITS).flatMap((unit) =>
  WORDINGS.map(({ source, amount }) => {
    const counted = `(?:\\p{L}[\\p{L}-]* ){0,2}${UNITS[unit as Unit].source}(?!\\p{L})`
    return {
      unit: unit as Unit,
      amount,
      expression: new RegExp(`(?<![\\p{L}\\p{N}])${source.replaceAll('N', NUMBER).replace('U', counted)}`, 'iu'),
    }
  }),
)

/**
 * The amounts that a guidance asks for in plain words: `one warm paragraph, at most 50 words`.
 *
 * @example amountsIn('three bullets'); // => [{ unit: 'bullet', min: 3, max: 3 }]
 */
export function amountsIn(guidance: string): readonly Amount[] {
  let amounts = known.get(guidance)
  if (!amounts) {
    // A guidance with values in it is another one for each record.
    if (known.size >= MOST_KNOWN) known.clear()
    known.set(guidance, (amounts = findAmounts(guidance)))
  }
  return amounts
}

const known = new Map<string, readonly Amount[]>()
const MOST_KNOWN = 1000

function findAmounts(guidance: string): Amount[] {
  const tidy = guidance.replace(/\s+/g, ' ').slice(0, 2000)
  const amounts = new Map<Unit, Amount>()
  for (const { unit, amount, expression } of readings) {
    const match = amounts.has(unit) ? null : expression.exec(tidy)
    if (!match) continue
    const [min, max] = amount(numberOf(match[1]), numberOf(match[2]))
    amounts.set(unit, { unit, min, max })
  }
  return [...amounts.values()]
}

function numberOf(word: string | undefined): number {
  if (word === undefined) return 0
  const place = NUMBERS.indexOf(word.toLowerCase())
  return place >= 0 ? place : /^\d/.test(word) ? Number(word) : 1
}

function linesOf(text: string): string[] {
  return text.split('\n').filter((line) => line.trim() !== '')
}

/** Sentences, by their ends before a capital letter: a short word with a full stop is an abbreviation. */
function sentenceCount(text: string): number {
  const ends = [...text.matchAll(/([\p{L}\p{N}]*)[.!?…]["”’)\]]?\s+(?=["“‘(]?\p{Lu})/gu)].filter(
    ([, word = '']) => word.length > 3 || /\p{N}/u.test(word),
  )
  return ends.length + (text.trim() === '' ? 0 : 1)
}

/** A passage as it was written: its value by its type, and what is wrong with it. */
export interface WrittenPassage {
  readonly value: unknown
  /** Sentences without a subject. */
  readonly faults: readonly string[]
}

export function readPassage({ type, guidance }: PassageSegment, text: string): WrittenPassage {
  if (type !== 'text') {
    const value = typedValue(type, text.trim())
    return value === undefined
      ? { value: text, faults: [`is "${text.slice(0, 40)}", not ${type === 'integer' ? 'an' : 'a'} ${type}`] }
      : { value, faults: [] }
  }
  const faults = amountsIn(guidance).flatMap(({ unit, min, max }) => {
    const count = UNITS[unit].count(text)
    const units = (n: number) => `${n} ${unit}${n === 1 ? '' : 's'}`
    if (count < min) return [`has ${units(count)}, fewer than ${min}`]
    return count > max ? [`has ${units(count)}, more than ${max}`] : []
  })
  return { value: text, faults }
}

export function typedValue(type: 'integer' | 'number' | 'date', text: string): unknown {
  if (type === 'date') return isDate(text) ? text : readWrittenDate(text)
  let fits = text !== ''
  const value = readCell(text, { kind: type }, ASKED_LOCALE, () => (fits = false))
  return fits ? value : undefined
}

/** The passages as the fields of a record: what a reply in JSON holds. */
export function passageFields(segments: readonly TextSegment[]): Declared[] {
  return segments.flatMap((segment): Declared[] => {
    if (segment.kind !== 'passage') return []
    return [
      {
        name: segment.name,
        type: { kind: segment.type },
        optional: false,
        untrusted: false,
        span: undefined,
        ...(segment.guidance !== '' && { about: segment.guidance }),
      },
    ]
  })
}
