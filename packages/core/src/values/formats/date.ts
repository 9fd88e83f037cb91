import { dateFormat } from './kinds.js'
import { dateParts } from '../dates.js'
import type { Locale } from '../locale.js'
function writeDate(iso: string, style: string, locale: Locale): string {
  if (style === 'long' || style === 'medium' || style === 'short') return locale.date(iso, style)
  const { year, month, day, hour, minute } = dateParts(iso)
  const two = (n: number) => String(n).padStart(2, '0')
  const fields: Record<string, string> = {
    yyyy: String(year).padStart(4, '0'),
    MMMM: locale.month(iso, 'long'),
    MMM: locale.month(iso, 'short'),
    MM: two(month),
    M: String(month),
    dd: two(day),
    d: String(day),
    HH: two(hour),
    mm: two(minute),
  }
  return style.replace(FIELDS, (field) => fields[field] ?? field)
}

const FIELDS = /yyyy|MMMM|MMM|MM|M|dd|d|HH|mm/g
const STYLES: readonly unknown[] = ['long', 'medium', 'short']

/** A pattern with letters that stand for nothing. */
function hasOtherLetters(style: string | number): boolean {
  return !STYLES.includes(style) && /\p{L}/u.test(String(style).replace(FIELDS, ''))
}

export const date = dateFormat({
  name: 'date',
  about: 'a date: "long", "medium", "short" or a pattern of yyyy MM M MMMM MMM dd d HH mm',
  parameters: [
    {
      name: 'style, or a pattern of yyyy MM M MMMM MMM dd d HH mm',
      kind: 'text',
      optional: true,
      refuses: hasOtherLetters,
    },
  ],
  write: (iso, [style = 'long'], { locale }) => writeDate(iso, String(style), locale),
})
