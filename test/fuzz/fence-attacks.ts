import { characterEntities } from 'character-entities'
import type { Random } from './random.js'

// Values that try to close or open a fence, and an independent reading of what came of them. The reading folds by patterns, from left to
// right, until nothing changes: another way than the library's, which folds once from the end.

const LOOK_ALIKES: Readonly<Record<string, string>> = {
  '<': '＜﹤‹〈⟨〈❮❰˂ᐸ≺⋖《⟪⧼«◁◂≤⩽≮❬𝈶',
  '>': '＞﹥›〉⟩〉❯❱˃ᐳ≻⋗》⟫⧽»▷▸≥⩾≯❭𖼿𝈷',
  '/': '／∕⁄╱⧸〳ノ丿',
  n: 'ｎ𝐧𝔫ոɴɲƞⓝⁿ',
  o: 'ｏ𝐨оοօ०٥ⲟ𐐬ᴏº',
  t: 'ｔ𝐭тτᴛⓣ',
  e: 'ｅ𝐞еєℯⓔ',
}
const HIDDEN = ['\u200b', '\u200d', '\u00ad', '\u2060', '\ufeff', '\ufffc', '\ue000', '\uf8ff', '\ufdd0', '\u{10ffff}', '\ud800', '\udfff']
const MARKS = ['\u0301', '\u0338', '\u20dd', '\ufe0f', '\u{e0061}', '\u{e0100}', '\u034f', '\u180b']
const BLANKS = [' ', '\n', '\r\n', '\t', '\u00a0', '\u3000', '\u2028', '\u0000', '\u0085']
const ESCAPED_NOTHING = [
  '&nbsp;',
  '&nbsp',
  '&zwj;',
  '&shy;',
  '&#8203;',
  '&#32;',
  '%20',
  '%00',
  '\\u200b',
  '&Tab;',
  '&NewLine;',
  '&ZeroWidthSpace;',
]
const MORE_NOTHING = ['&NoBreak;', '&InvisibleComma;', '&ic;', '&#x200B;', '%E2%80%8B', '\\x20', '\\040', '&emsp;', '&MediumSpace;', '=20']
const NOTHING = [...HIDDEN, ...MARKS, ...BLANKS, ...ESCAPED_NOTHING, ...MORE_NOTHING]

const names = Object.entries(characterEntities)
const namesOf = (character: string) => names.filter(([, stands]) => stands === character).map(([name]) => name)
const known = new Map(Array.from('<>/note&%\\#;=').map((character) => [character, namesOf(character)]))

const hex = (code: number, digits: number) => code.toString(16).padStart(digits, '0')

/** A character in one of the ways in which it can be written. */
function escaped(character: string, random: Random): string {
  const code = character.codePointAt(0)!
  const bytes = [...Buffer.from(character)]
  const ways: (() => string)[] = [
    () => `&#${'0'.repeat(random.below(4))}${code};`,
    () => `&#${random.from(['x', 'X'])}${'0'.repeat(random.below(4))}${code.toString(16)};`,
    () => `\\u{${code.toString(16)}}`,
    () => (code < 0x10000 ? `\\u${hex(code, 4)}` : [...Array(2).keys()].map((i) => `\\u${hex(character.charCodeAt(i), 4)}`).join('')),
    () => `\\U${hex(code, 8)}`,
    () => bytes.map((byte) => `%${hex(byte, 2)}`).join(''),
    () => bytes.map((byte) => `=${hex(byte, 2).toUpperCase()}`).join(''),
    () => bytes.map((byte) => `\\x${hex(byte, 2)}`).join(''),
    () => (code < 0x10000 ? `%u${hex(code, 4)}` : character),
    () => (code < 0x80 ? `\\${code.toString(8).padStart(3, '0')}` : character),
    () => (code === 0x3c || code === 0x3e || code === 0x2f ? `\\${code.toString(8)}` : character),
    () => {
      const all = known.get(character) ?? []
      return all.length > 0 ? `&${random.from(all)};` : character
    },
  ]
  return random.from(ways)()
}

function written(character: string, random: Random): string {
  let text = character
  const similar = LOOK_ALIKES[character]
  if (similar !== undefined && random.chance(0.3)) text = random.from([...similar])
  else if (random.chance(0.2)) text = text.toUpperCase()
  // Escaped, and some of the escape escaped again.
  if (random.chance(0.4)) text = escaped(text, random)
  for (let round = random.below(3); round > 0; round--) {
    const characters = [...text]
    const position = random.below(characters.length)
    if (/[&%\\#;=]/.test(characters[position]!)) characters[position] = escaped(characters[position]!, random)
    text = characters.join('')
  }
  return text
}

/** A form of the tag, written in mixed ways. */
function form(random: Random): string {
  const closing = random.chance(0.7) ? '/'.repeat(random.chance(0.1) ? 2 : 1) : ''
  const end = random.from(['>', '>', '>', '', ' x="1">', ' please', '\n'])
  const characters = [...`<${closing}note`, ...(end.startsWith('>') ? ['>'] : [])]
  const noise = random.chance(0.4) ? 0.3 : 0
  const text = characters.map((character) => written(character, random) + (random.chance(noise) ? random.from(NOTHING) : '')).join('')
  return text + (end.startsWith('>') ? '' : end)
}

const WORDS = [
  'brass',
  'a < b',
  'x > 1',
  'Tarrow & Sons',
  '100 %',
  '<b>bold</b>',
  '[a](b)',
  '`code`',
  'notes',
  '<notebook>',
  'C:\\temp\\',
  '&',
  '\\',
  '%',
  '=',
  '<',
  '</',
]
const ENDS = [...NOTHING, '&', '&l', '&#', '&#6', '\\', '\\u', '\\u00', '%', '%3', '<', '</', '</no', '&lt', '&amp;l', '=', '=3']

/** A value: words, forms, pieces of forms, and what folds to nothing at its ends. */
function value(random: Random): string {
  const parts = random.times(4, () => random.from([() => form(random), () => random.from(WORDS), () => random.from(ENDS)])())
  return (
    (random.chance(0.3) ? random.from(ENDS) : '') + parts.join(random.from(['', ' ', '\n'])) + (random.chance(0.5) ? random.from(ENDS) : '')
  )
}

/** Values of which several make one form. */
export function attack(random: Random, count: number): string[] {
  if (random.chance(0.6)) return Array.from({ length: count }, () => value(random))
  const whole = form(random)
  const cuts = Array.from({ length: count - 1 }, () => random.below(whole.length + 1)).sort((a, b) => a - b)
  return [...cuts, whole.length].map((cut, i) => whole.slice(i === 0 ? 0 : cuts[i - 1], cut))
}

const PLAIN = new Map(Object.entries(LOOK_ALIKES).flatMap(([plain, all]) => [...all].map((text) => [text, plain] as const)))
const SIMILAR = new RegExp(`[${[...PLAIN.keys()].join('')}]`, 'gu')
const REFERENCE =
  /&(?:#(?:x0*([0-9a-f]{1,8})|0*(\d{1,8}));?|([a-z0-9]+);)|\\u\{0*([0-9a-f]{1,6})\}|\\U([0-9a-f]{8})|\\u([0-9a-f]{4})|%u([0-9a-f]{4})|\\x([0-9a-f]{2})|%([0-9a-f]{2})|=([0-9A-F]{2})|\\([0-3]?[0-7]{2})/gi

/** The text with its escapes decoded, as far as patterns find them. Bytes beyond ASCII stay as they are. */
function decoded(text: string): string {
  return text.replace(REFERENCE, (whole, ...groups: (string | undefined)[]) => {
    const [h1, dec, name, h2, h3, h4, h5, ...bytes] = groups
    if (name !== undefined) return characterEntities[name] ?? characterEntities[name.toLowerCase()] ?? whole
    const point = [h1, h2, h3, h4, h5].find((text) => text !== undefined)
    if (point !== undefined || dec !== undefined) {
      const code = dec === undefined ? parseInt(point!, 16) : Number(dec)
      return code <= 0x10ffff ? String.fromCodePoint(code) : whole
    }
    const octal = bytes[3]
    const code =
      octal === undefined
        ? parseInt(
            bytes.slice(0, 3).find((byte) => byte !== undefined)!,
            16,
          )
        : parseInt(octal, 8)
    return code < 0x80 ? String.fromCharCode(code) : whole
  })
}

/** A text as the independent reading takes it: no spaces, nothing invisible, plain small letters. */
export function readAs(text: string): string {
  let now = text
  for (let round = 0; round < 12; round++) {
    const before = now
    now = decoded(now.replace(/[\p{Cf}\p{Co}\p{Cn}\p{Cs}\p{Mn}\p{Me}\ufffc]/gu, ''))
    if (now === before) break
  }
  return now
    .replace(SIMILAR, (text) => PLAIN.get(text)!)
    .normalize('NFKD')
    .replace(/[\p{M}\p{Cf}\p{Co}\p{Cn}\p{Cs}\p{Cc}\p{Z}\s\ufffc]/gu, '')
    .toLowerCase()
}

/** How many tags of the fence a text holds in the independent reading, opening and closing ones together. */
export function tagsIn(text: string): number {
  return readAs(text).match(/<\/*note(?![\p{L}\p{M}\p{Nd}_-])/gu)?.length ?? 0
}
