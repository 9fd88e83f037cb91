import { defined } from '../invariant.js'
import { CLOSING, OPENING, WIDE_LEADS } from './look-alikes.js'
import { LEADS, namesThatLead } from './references.js'
import { foldName } from './skeleton.js'

// Checks values before they are folded. Plain text passes by one pattern: it runs over every text of a prompt that has fences.

const inClass = (characters: string) => characters.replace(/[\\\]^-]/g, '\\$&').replace(/[\uD800-\uDFFF]/g, '')
const WIDE = inClass(
  Array.from(OPENING + WIDE_LEADS)
    .filter((text) => text > '\x7f')
    .join(''),
)

/** Names of references whose character can begin a tag or another reference, by their first three letters. */
const NAMES = [
  ...new Set(
    namesThatLead((character) => OPENING.includes(character) || LEADS.includes(character)).map((name) => name.slice(0, 3).toLowerCase()),
  ),
]
/** What may stand within a name instead of its next letter: the value's end, something invisible, an escape. */
const STOP = '$|[^\\x20-\\x7e]|[&%\\\\]|=\\s*[\\da-f]'
/** `Tarrow & Sons` is no beginning of a reference; cut short by the value's end it could be one. */
const AMPERSAND = `&\\s*(?:${STOP}|#|${NAMES.map(([a, b, c = '']) => `${a}\\s*(?:${STOP}|${b}\\s*(?:${STOP}|${c}))`).join('|')})`
/** A hexadecimal escape of `<`, of a character with which an escape begins, or of a byte beyond ASCII; cut short, or escaped itself. */
const HEX = '\\s*(?:$|[^\\x20-\\x7e]|[&%\\\\=]|[235c-f]\\s*(?:$|[^\\x20-\\x7e]|[&%\\\\=])|2\\s*[56]|3\\s*[cd]|5\\s*c|[c-f]\\s*[\\da-f])'

/** Characters beyond the Basic Multilingual Plane share their first halves: those of the look-alikes are among these. */
const ASTRAL = '\uD800-\uDBFF'
const ESCAPED = `[\\\\${ASTRAL}${inClass(WIDE_LEADS)}]|${AMPERSAND}|%\\s*u|[%=]${HEX}`
const CLOSER_LOOK = new RegExp(`[<${WIDE}]|${ESCAPED}`, 'i')
/** Letters with accents, dashes and quotation marks are not among them. */
const FIRST_LOOK = /[<&%=\\\u00ab\u02b0-\u02ff\u1400-\u16ff\u2030-\uffff]/

/** Whether a value could begin a form of a tag. The look-alikes outside of the first look's ranges are tested for. */
export function isSuspect(text: string): boolean {
  return FIRST_LOOK.test(text) && CLOSER_LOOK.test(text)
}

/**
 * What a text has in it if it holds a form of one of the tags, given how their folded names begin: an opening bracket before such a letter,
 * or anything escaped or beyond ASCII. Markup with other tags holds none.
 */
export function lookFor(names: readonly string[]): RegExp {
  const firsts = new Set(names.map((name) => defined(name[0])))
  const letters = [...ASCII].filter((character) => firsts.has(foldName(character)[0] ?? ''))
  return new RegExp(`[<${WIDE}][\\s/\\\\]*(?:$|[^\\x20-\\x7e]|[&%\\\\=<${inClass(letters.join(''))}])|${ESCAPED}`, 'i')
}

const ASCII = Array.from({ length: 94 }, (_, i) => String.fromCharCode(33 + i)).join('')

/** A value that needs none of these looks is written into JSON as it is, and can begin no form of a tag: most values are such. */
// eslint-disable-next-line no-control-regex -- JSON escapes control characters
const ANY_LOOK = /["\\<&%=\u0000-\u001f\u0080-\uffff]/

export function isHarmless(text: string): boolean {
  return !ANY_LOOK.test(text)
}

/** Fixed text that leaves a tag or a reference open for a value to finish. */
export const OPEN_END = new RegExp(
  `[${inClass(OPENING)}][^${inClass(CLOSING)}]*$|[${inClass(LEADS)}${inClass(WIDE_LEADS)}][{#\\w\\s]*$`,
  'u',
)
