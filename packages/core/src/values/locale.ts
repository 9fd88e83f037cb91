import { dateParts } from './dates.js'
import { grouped, groupedInteger, plainNumber, roundDecimal, type Numeric } from './numbers.js'

/** How numbers, dates and lists are written: Dunelight's own way, fixed for ever, or `Intl`'s for a named locale. */
export interface Locale {
  readonly name: string | undefined
  number(value: Numeric, digits: number | undefined): string
  percent(value: Numeric, digits: number | undefined): string
  currency(value: Numeric, code: string): string
  ordinal(value: Numeric): string
  date(iso: string, style: 'long' | 'medium' | 'short'): string
  month(iso: string, style: 'long' | 'short'): string
  weekday(iso: string): string
  /** The text after each item of a sentence's list, by its index. */
  sentenceList(items: readonly string[], word: string | undefined): (index: number) => string
  upper(text: string): string
  lower(text: string): string
}

export const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
]
const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']
const ENDINGS = ['th', 'st', 'nd', 'rd']

/** A table's dates come again and again. */
const longDates = new Map<string, string>()

/** Without a named locale: the writing of the language page. */
export const ownLocale: Locale = {
  name: undefined,
  number: (value, digits) => {
    if (digits === undefined && typeof value === 'number' && Number.isSafeInteger(value) && value !== 0) return groupedInteger(value)
    return grouped(digits === undefined ? atMost(value, 3) : roundDecimal(value, digits))
  },
  percent: (value, digits) =>
    `${grouped(digits === undefined ? atMost(timesHundred(value), 3) : roundDecimal(timesHundred(value), digits))}%`,
  currency: (value, code) => `${code} ${grouped(roundDecimal(value, 2))}`,
  ordinal: (value) => {
    const text = roundDecimal(value, 0)
    const last = Number(text.slice(-1))
    const teen = text.slice(-2, -1) === '1'
    return text + (teen ? 'th' : (ENDINGS[last] ?? 'th'))
  },
  date: (iso, style) => {
    if (style === 'short') return iso.slice(0, 10)
    const day = iso.slice(0, 10)
    const known = style === 'long' ? longDates.get(day) : undefined
    if (known !== undefined) return known
    const name = MONTHS[Number(iso.slice(5, 7)) - 1] ?? ''
    const written = `${Number(iso.slice(8, 10))} ${style === 'long' ? name : name.slice(0, 3)} ${iso.slice(0, 4)}`
    if (style === 'long') {
      if (longDates.size >= 4096) longDates.clear()
      longDates.set(day, written)
    }
    return written
  },
  month: (iso, style) => {
    const name = MONTHS[dateParts(iso).month - 1] ?? ''
    return style === 'long' ? name : name.slice(0, 3)
  },
  weekday: (iso) => DAYS[weekdayOf(iso)] ?? '',
  sentenceList: (items, word = 'and') => {
    const last = ` ${word} `
    return (index) => (index === items.length - 2 ? last : ', ')
  },
  upper: (text) => text.toUpperCase(),
  lower: (text) => text.toLowerCase(),
}

function weekdayOf(iso: string): number {
  return new Date(`${iso.slice(0, 10)}T00:00:00Z`).getUTCDay()
}

/** Up to `digits` after the point, no zeros at the end. */
function atMost(value: Numeric, digits: number): string {
  return plainNumber(roundDecimal(value, digits))
}

/** Moves the point of the shortest decimal, so that 0.07 gives 7 and not 7.000000000000001. */
function timesHundred(value: Numeric): string {
  const text = plainNumber(value)
  const negative = text.startsWith('-')
  const [whole = '', fraction = ''] = text.replace('-', '').split('.')
  const padded = fraction.padEnd(2, '0')
  return (negative ? '-' : '') + plainNumber(`${whole}${padded.slice(0, 2)}.${padded.slice(2) || '0'}`)
}

const locales = new Map<string, Locale>()

/** A named locale's writing through `Intl`, or undefined where the name is no locale. */
export function localeOf(name: string | undefined): Locale | undefined {
  if (name === undefined || name === '') return ownLocale
  const known = locales.get(name)
  if (known) return known
  try {
    // The language must be supported by the platform: Intl would silently use its own.
    if (Intl.NumberFormat.supportedLocalesOf([name]).length === 0) return undefined
  } catch {
    return undefined // Intl throws a RangeError for what is no language tag
  }
  const locale = intlLocale(name)
  locales.set(name, locale)
  return locale
}

function intlLocale(name: string): Locale {
  const numbers = new Map<string, Intl.NumberFormat>()
  const numberFormat = (options: Intl.NumberFormatOptions): Intl.NumberFormat => {
    const key = JSON.stringify(options)
    let format = numbers.get(key)
    if (!format) numbers.set(key, (format = new Intl.NumberFormat(name, { roundingMode: 'halfExpand', ...options })))
    return format
  }
  const dates = new Map<string, Intl.DateTimeFormat>()
  const dateFormat = (options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat => {
    const key = JSON.stringify(options)
    let format = dates.get(key)
    if (!format) dates.set(key, (format = new Intl.DateTimeFormat(name, { timeZone: 'UTC', ...options })))
    return format
  }
  // Intl takes decimal text digit for digit, so that halves are those of the shortest form.
  const exact = (value: Numeric) => plainNumber(value) as unknown as number
  const digitsOf = (digits: number | undefined, most: number) =>
    digits === undefined ? { maximumFractionDigits: most } : { minimumFractionDigits: digits, maximumFractionDigits: digits }
  const moment = (iso: string) => new Date(`${iso.slice(0, 10)}T00:00:00Z`)
  return {
    name,
    number: (value, digits) => numberFormat(digitsOf(digits, 3)).format(exact(value)),
    percent: (value, digits) => numberFormat({ style: 'percent', ...digitsOf(digits, 3) }).format(exact(value)),
    currency: (value, code) => numberFormat({ style: 'currency', currency: code }).format(exact(value)),
    ordinal: (value) =>
      name.startsWith('en') ? ownLocale.ordinal(value) : `${numberFormat({ maximumFractionDigits: 0 }).format(exact(value))}.`,
    date: (iso, style) => dateFormat({ dateStyle: style }).format(moment(iso)),
    month: (iso, style) => dateFormat({ month: style }).format(moment(iso)),
    weekday: (iso) => dateFormat({ weekday: 'long' }).format(moment(iso)),
    sentenceList: (items, word) => {
      if (word !== undefined) return ownLocale.sentenceList(items, word)
      const parts = new Intl.ListFormat(name, { type: 'conjunction' }).formatToParts(items)
      const separators: string[] = []
      for (const part of parts) {
        if (part.type === 'element') separators.push('')
        else if (separators.length > 0) separators.push((separators.pop() ?? '') + part.value)
      }
      return (index) => separators[index] ?? ''
    },
    upper: (text) => text.toLocaleUpperCase(name),
    lower: (text) => text.toLocaleLowerCase(name),
  }
}
