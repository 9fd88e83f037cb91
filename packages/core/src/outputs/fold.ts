import { defined } from '../invariant.js'
import { rememberLong } from '../values/remember.js'
/** Characters that represent another, one for one: typographic quotes and dashes, spaces of all widths. */
const ALIKE: Readonly<Record<string, string>> = {
  '“': '"',
  '”': '"',
  '„': '"',
  '«': '"',
  '»': '"',
  '‘': "'",
  '’': "'",
  '‚': "'",
  '´': "'",
  '`': "'",
  '–': '-',
  '—': '-',
  '‐': '-',
  '‑': '-',
  '−': '-',
  '\u00A0': ' ',
  '\u202F': ' ',
  '\u2009': ' ',
  '\t': ' ',
}
const ALIKE_SIGNS = new RegExp(`[${Object.keys(ALIKE).join('')}]`, 'gu')

/** Most texts hold no character that has a look-alike. */
const RARE = /[^\n\x20-\x5f\x61-\x7e]/

/** A text in which look-alikes are one character and case makes no difference; every character keeps its place. */
export function foldSigns(text: string): string {
  const alike = RARE.test(text) ? text.replace(ALIKE_SIGNS, (character) => defined(ALIKE[character])) : text
  const lower = alike.toLowerCase()
  // A few capitals become two characters: then case stays, as places count for more.
  return lower.length === text.length ? lower : alike
}

/** The same with runs of spaces and line ends as one space. */
export function foldText(text: string): string {
  const folded = foldSigns(text)
  return /[\n\r]| {2}/.test(folded) ? folded.replace(/[ \n\r]+/g, ' ') : folded
}

/** The same for texts that come again, such as a prompt's: long ones are folded once. */
export const foldedOnce = rememberLong(foldText)

/** The same, and where each of its characters stood. */
export interface Folded {
  readonly text: string
  readonly places: readonly number[]
}

export function foldSpaces(text: string): Folded {
  const folded = foldSigns(text)
  const places: number[] = []
  let out = ''
  for (let i = 0; i < folded.length; i++) {
    const character = defined(folded[i])
    const blank = character === ' ' || character === '\n' || character === '\r'
    if (blank && out.endsWith(' ')) continue
    out += blank ? ' ' : character
    places.push(i)
  }
  places.push(folded.length)
  return { text: out, places }
}
