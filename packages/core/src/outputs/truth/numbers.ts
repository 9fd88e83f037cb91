import { defined } from '../../invariant.js'
import { rememberLong } from '../../values/remember.js'

/** A number in a text, in digits or in words; `readings` are all its possible values. */
export interface SaidNumber {
  readonly text: string
  readonly start: number
  readonly readings: readonly string[]
  readonly kind: 'figure' | 'year' | 'amount' | 'century' | 'decade'
}

const DIGITS =
  /(?<![\p{L}\p{N}])([£$€¥]\s?)?(\d{1,3}(?:[,.'’\u00A0\u202F ]\d{3})+(?:[.,]\d{1,2})?(?!\d)|\d+(?:[.,]\d+)?)(?:(st|nd|rd|th)\b|(\s?(?:%|percent\b|per cent\b|[£$€¥]|(?:EUR|USD|GBP|CHF)\b)))?/gu
/** `1.5e3`, `1.5 × 10³`, `2 x 10^-4`. */
const SCIENTIFIC =
  /(?<![\p{L}\p{N}.,])(\d{1,15}(?:[.,]\d{1,15})?)(?:[eE]([+-]?\d{1,3})|\s?[×x·*]\s?10(?:\^([+−-]?\d{1,3})|([⁺⁻]?[⁰¹²³⁴-⁹]{1,3})))(?![\p{L}\p{N}])/gu
const GLYPHS: Readonly<Record<string, readonly [number, number]>> = {
  '½': [1, 2],
  '⅓': [1, 3],
  '⅔': [2, 3],
  '¼': [1, 4],
  '¾': [3, 4],
  '⅕': [1, 5],
  '⅖': [2, 5],
  '⅗': [3, 5],
  '⅘': [4, 5],
  '⅙': [1, 6],
  '⅚': [5, 6],
  '⅛': [1, 8],
  '⅜': [3, 8],
  '⅝': [5, 8],
  '⅞': [7, 8],
}
/** `½`, `2½`, `3/4`, `2 3/4`. */
const FRACTION = new RegExp(
  `(?<![\\p{L}\\p{N}./])(?:(\\d{1,9})[ -]?)?(?:([${Object.keys(GLYPHS).join('')}])|(?<!\\d)(\\d{1,3})[/⁄](\\d{1,3}))(?![\\p{L}\\p{N}/])`,
  'gu',
)
const PARTS = { half: 2, halves: 2, third: 3, quarter: 4, fourth: 4, fifth: 5, sixth: 6, eighth: 8, tenth: 10 }
const CENTURY = /(?<![\p{L}\p{N}])(?:(\d{1,2})(?:st|nd|rd|th)|([a-z]+(?:-[a-z]+)?))[ -]centur(?:y|ies)/giu
const DECADE = /(?<![\p{L}\p{N}])(\d{3}0)['’]?s(?!\p{L})/gu
const RANGE = /(?<![\p{L}\p{N}])(\d{2})(\d{2})\s?[–-]\s?(\d{2})(?!\d)/gu

const SMALL =
  'zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen'.split(
    ' ',
  )
const TENS = 'twenty thirty forty fifty sixty seventy eighty ninety'.split(' ')
const ORDINALS =
  'first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth twentieth twenty-first'.split(
    ' ',
  )
const NUMBER_WORD = `(?:${[...SMALL, ...TENS, 'hundred', 'thousand'].join('|')})`
const WORDS = new RegExp(`(?<![\\p{L}\\p{N}])${NUMBER_WORD}(?:(?:[ -]| and )${NUMBER_WORD})*(?!\\p{L})`, 'giu')

/** `two thirds`, `three-quarters`. */
const WORD_FRACTION = new RegExp(
  `(?<![\\p{L}\\p{N}])(${SMALL.slice(1, 10).join('|')})[ -](${Object.keys(PARTS).join('|')})s?(?!\\p{L})`,
  'giu',
)

const DIGIT = /\d/
const SOME_NUMBER = new RegExp(`\\d|[${Object.keys(GLYPHS).join('')}]|centur|(?<![\\p{L}\\p{N}])${NUMBER_WORD}(?!\\p{L})`, 'iu')

/** Whether a text may contain a number at all: most answers have none, and need no closer look. */
export function mayHoldNumbers(text: string): boolean {
  return SOME_NUMBER.test(text)
}

/** All numbers in a text. Places taken by one of `taken`, dates most of all, are skipped. */
export function numbersIn(text: string, taken: readonly { readonly start: number; readonly text: string }[] = []): SaidNumber[] {
  const numbers: SaidNumber[] = []
  const used = new Uint8Array(text.length)
  for (const item of taken) used.fill(1, item.start, item.start + item.text.length)
  const add = (match: RegExpMatchArray, kind: SaidNumber['kind'], readings: readonly string[]) => {
    const start = defined(match.index)
    const end = start + match[0].length
    if (readings.length === 0 || used.subarray(start, end).includes(1)) return
    used.fill(1, start, end)
    numbers.push({ text: match[0], start, readings, kind })
  }
  for (const match of /centur/i.test(text) ? text.matchAll(CENTURY) : []) {
    const ordinal = match[1] === undefined ? ORDINALS.indexOf(defined(match[2]).toLowerCase()) + 1 : Number(match[1])
    if (ordinal > 0) add(match, 'century', [String(ordinal)])
  }
  for (const match of text.matchAll(FRACTION)) add(match, 'figure', fractionReadings(match))
  for (const match of text.matchAll(WORD_FRACTION))
    add(
      match,
      'figure',
      quotient(0, valueOf(defined(match[1]).toLowerCase()), PARTS[defined(match[2]).toLowerCase() as keyof typeof PARTS]),
    )
  if (DIGIT.test(text)) {
    for (const match of text.matchAll(SCIENTIFIC)) add(match, 'figure', scientificReadings(match))
    for (const match of text.matchAll(DECADE)) add(match, 'decade', [defined(match[1])])
    for (const match of text.matchAll(DIGITS)) add(match, kindOf(match), readingsOf(defined(match[2])))
  }
  for (const match of text.matchAll(WORDS)) add(match, 'figure', wordReadings(match[0]))
  return numbers
}

function kindOf([, before, digits, , behind]: RegExpMatchArray): SaidNumber['kind'] {
  if (before !== undefined || behind !== undefined) return 'amount'
  return /^(?:1\d|20|21)\d\d$/.test(digits ?? '') ? 'year' : 'figure'
}

function fractionReadings([, whole = '0', glyph, over, under]: RegExpMatchArray): string[] {
  const [above, below] = glyph === undefined ? [Number(over), Number(under)] : defined(GLYPHS[glyph])
  return below === 0 ? [] : quotient(Number(whole), above, below)
}

/** To four digits, as data with decimals have it; also to two, as most people write it. */
function quotient(whole: number, above: number, below: number): string[] {
  return [...new Set([4, 2].map((digits) => String(Number((whole + above / below).toFixed(digits)))))]
}

const RAISED = '⁰¹²³⁴⁵⁶⁷⁸⁹'

function scientificReadings([, digits = '', letter, power, raised]: RegExpMatchArray): string[] {
  const lowered = raised?.replace(/./gu, (digit) => (digit === '⁻' ? '-' : digit === '⁺' ? '' : String(RAISED.indexOf(digit))))
  const exponent = (letter ?? power ?? lowered ?? '').replace('−', '-')
  return readingsOf(digits).map((reading) => String(Number(`${reading}e${exponent}`)))
}

/** "1.890" is one point eight nine, or one thousand eight hundred and ninety. */
function readingsOf(digits: string): string[] {
  const plain = digits.replace(/[\s\u00A0\u202F'’]/gu, '')
  const grouped = /^\d{1,3}(?:[.,]\d{3})+(?:[.,]\d{1,2})?$/.test(plain)
  const decimal = plain.replace(/[.,](?=.*[.,])/g, '').replace(',', '.')
  const whole = grouped ? plain.replace(/[.,](?=\d{3}(?!\d))/g, '').replace(',', '.') : undefined
  return [...new Set([whole, decimal].flatMap((text) => (text === undefined ? [] : [String(Number(text))])))]
}

/** "eighteen ninety" is a year, "eighteen hundred and ninety" the same in full. */
function wordReadings(words: string): string[] {
  const parts = words
    .toLowerCase()
    .split(/[ -]/)
    .filter((word) => word !== 'and' && word !== '')
  const full = fullReading(parts)
  const year = yearReading(parts)
  return [...new Set([full, year].flatMap((number) => (number === undefined ? [] : [String(number)])))]
}

function fullReading(parts: readonly string[]): number | undefined {
  let total = 0
  let group = 0
  let last = Infinity
  for (const part of parts) {
    if (part === 'hundred') group = (group || 1) * 100
    else if (part === 'thousand') {
      total += (group || 1) * 1000
      group = 0
    } else {
      const value = valueOf(part)
      // Tens take units behind them, and nothing else does.
      if (last < 20 || (last < 100 && value >= 10)) return undefined
      group += value
      last = value
      continue
    }
    last = Infinity
  }
  return total + group
}

function yearReading(parts: readonly string[]): number | undefined {
  const centuries = valueOf(parts[0] ?? '')
  const years = fullReading(parts.slice(1))
  const oh = parts.length > 1 && centuries >= 10 && centuries <= 21 && years !== undefined && years >= 10 && years < 100
  return oh ? centuries * 100 + years : undefined
}

function valueOf(word: string): number {
  const small = SMALL.indexOf(word)
  return small >= 0 ? small : (TENS.indexOf(word) + 2) * 10
}

/** All numbers that a text gives, by their readings; the years of ranges (1890–95) and of centuries among them. */
export class GivenNumbers {
  private readonly readings = new Set<string>()
  private readonly centuries = new Set<string>()

  add(text: string): void {
    const { numbers: stated, rangeEnds } = values(text)
    for (const { readings, kind } of stated) {
      for (const reading of readings) (kind === 'century' ? this.centuries : this.readings).add(reading)
    }
    for (const rangeEnd of rangeEnds) this.readings.add(rangeEnd)
  }

  holds({ readings, kind }: SaidNumber): boolean {
    if (kind === 'century')
      return readings.some(
        (reading) =>
          this.centuries.has(reading) ||
          this.someYear((year) => Math.ceil(year / 100) === Number(reading) || Math.floor(year / 100) + 1 === Number(reading)),
      )
    if (kind === 'decade') return readings.some((reading) => this.someYear((year) => Math.floor(year / 10) * 10 === Number(reading)))
    return readings.some((reading) => this.readings.has(reading))
  }

  private someYear(fits: (year: number) => boolean): boolean {
    for (const reading of this.readings) if (/^\d{4}$/.test(reading) && fits(Number(reading))) return true
    return false
  }
}

/** The numbers that a text gives, and the last years of its ranges. */
const values = rememberLong((text) => ({
  numbers: numbersIn(text),
  rangeEnds: [...text.matchAll(RANGE)].map(([, century, , years]) => `${Number(defined(century) + defined(years))}`),
}))
