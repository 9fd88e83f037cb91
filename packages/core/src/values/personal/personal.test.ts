import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { getCountries, getExampleNumber, parsePhoneNumberFromString, type CountryCode } from 'libphonenumber-js/max'
import examples from 'libphonenumber-js/mobile/examples'
import { libraryFrom } from '../../index.js'
import { restorePlaceholders } from '../../host.js'
import { DEFAULT_PERSONAL, PersonalDetector } from './detector.js'

const detectorFor = (country?: string) => new PersonalDetector({ ...DEFAULT_PERSONAL, country })
const phonesIn = (text: string, country?: string) =>
  detectorFor(country)
    .find(text)
    .filter(({ kind }) => kind === 'phone')
    .map(({ start, end }) => text.slice(start, end))

describe('telephone numbers', () => {
  test.each([
    ['+44 1632 960983', undefined],
    ['(01632) 960112', undefined],
    ['+49 30 901820', undefined],
    ['0171 1234567', undefined],
    ['+33 1 23 45 67 89', undefined],
    ['0049 (30) 90 18 20', undefined],
    ['+44 (0)1632 960983', undefined],
    ['(212) 555-0123', 'US'],
    ['030/901820', 'DE'],
    ['01632960112', 'GB'],
  ] as const)('%s is one', (number, country) => {
    expect(phonesIn(`Ring ${number}, or ask at the desk.`, country)).toEqual([number])
  })

  const countries = getCountries().filter((_, i, all) => i % Math.floor(all.length / 40) === 0)
  const number = fc
    .record({ country: fc.constantFrom(...countries), tail: fc.integer({ min: 0, max: 99 }), notation: fc.integer({ min: 0, max: 5 }) })
    .map(({ country, tail, notation }) => ({ country, notation, parsed: exampleOf(country, tail) }))
    .filter(({ parsed }) => parsed !== undefined)

  test('of 40 countries are found whole, in six notations', () => {
    expect(countries.length).toBeGreaterThanOrEqual(40)
    fc.assert(
      fc.property(number, ({ country, notation, parsed }) => {
        const written = NOTATIONS[notation]!(parsed!)
        expect({ written, found: phonesIn(`Call ${written} today.`, country) }).toEqual({ written, found: [written] })
      }),
      { numRuns: 3000 },
    )
  })

  test('10,000 things that are none are left alone', () => {
    const pad = (value: number, digits = 2) => String(value).padStart(digits, '0')
    const part = (max: number, min = 0) => fc.integer({ min, max })
    const date = fc.tuple(part(2099, 1500), part(12, 1), part(28, 1))
    const none = fc.oneof(
      date.map(([y, m, d]) => `${y}-${pad(m)}-${pad(d)}`),
      fc.tuple(date, part(23), part(59)).map(([[y, m, d], h, min]) => `${y}-${pad(m)}-${pad(d)} ${pad(h)}:${pad(min)}`),
      date.map(([y, m, d]) => `${pad(d)}.${pad(m)}.${y}`),
      fc.tuple(date, date).map(([[y, m, d], [z]]) => `${d}/${m}/${y} - ${d}/${m}/${z}`),
      fc.tuple(part(2099, 1500), part(2099, 1500)).map(([a, b]) => `${a}-${b}`),
      fc.tuple(part(999, 1), part(999), part(999)).map(([a, b, c]) => `${a} ${pad(b, 3)} ${pad(c, 3)}`),
      fc.tuple(part(999, 1), part(999), part(999)).map(([a, b, c]) => `${a},${pad(b, 3)},${pad(c, 3)}`),
      fc.tuple(part(9999), part(9999)).map(([a, b]) => `MH-${pad(a, 4)}-${pad(b, 4)}`),
      fc.tuple(part(2099, 1900), part(999), part(99)).map(([y, a, b]) => `${y}.${a}.${b}`),
      fc.tuple(part(255), part(255), part(255), part(255)).map((parts) => parts.join('.')),
      fc.tuple(part(89), part(999_999), part(179), part(999_999)).map(([a, b, c, d]) => `${a}.${pad(b, 6)} ${c}.${pad(d, 6)}`),
      part(9_999_999, 1_000_000).map((digits) => `objects/${digits}`),
      part(99_999_999, 1_000_000).map(String),
      fc.array(part(99), { minLength: 3, maxLength: 12 }).map((numbers) => numbers.join(' ')),
      fc.tuple(part(9), part(999), part(99_999)).map(([a, b, c]) => isbn(`978${a}${pad(b, 3)}${pad(c, 5)}`)),
    )
    fc.assert(
      fc.property(none, fc.constantFrom('GB', 'DE', undefined), (text, country) => {
        expect({ text, found: phonesIn(`It is ${text}; see above.`, country) }).toEqual({ text, found: [] })
      }),
      { numRuns: 10_000 },
    )
  })
})

type Parsed = NonNullable<ReturnType<typeof exampleOf>>

const NOTATIONS: readonly ((number: Parsed) => string)[] = [
  (number) => number.format('E.164'),
  (number) => number.format('INTERNATIONAL'),
  (number) => number.format('INTERNATIONAL').replace('+', '00'),
  (number) => number.format('INTERNATIONAL').replaceAll(' ', '-'),
  (number) => `(${number.format('INTERNATIONAL').replace(' ', ') ')}`,
  (number) => number.format('INTERNATIONAL').replace(/[^+\d]/g, '.'),
]

/** A valid number of a country, its last digits varied. */
function exampleOf(country: CountryCode, tail: number) {
  const example = getExampleNumber(country, examples)
  if (!example) return undefined
  const digits = example.number
  const varied = parsePhoneNumberFromString(digits.slice(0, -2) + String(tail).padStart(2, '0'))
  return varied?.isValid() === true ? varied : example
}

/** Twelve digits with the check digit of a book number. */
function isbn(digits: string): string {
  const sum = [...digits].reduce((total, digit, i) => total + Number(digit) * (i % 2 === 0 ? 1 : 3), 0)
  return `${digits.slice(0, 3)}-${digits.slice(3, 4)}-${digits.slice(4, 7)}-${digits.slice(7)}-${(10 - (sum % 10)) % 10}`
}

describe('placeholders', () => {
  const files = (more: string, text: string, library = 'title: T') => ({
    'dunelight.yaml': library,
    'prompts/p.yaml': `title: P\nvariables: { a: text, b: text }\n${more}turns: [{ user: "${text}" }]`,
  })

  test('do not collide with those that a value contains', () => {
    const rendering = libraryFrom(files('', '{a as masked} {b}'))
      .prompt('p')
      .render({ a: 'ines@marsh.example', b: 'see [email 1] and [E-mail 2]' })
    expect(rendering.turns[0]!.text).toBe('[email 2] see [email 1] and [E-mail 2]')
    expect(rendering.read('To [email 2], not [email 1].').value).toBe('To ines@marsh.example, not [email 1].')
  })

  test.each(['[email 1]', '[Email 1]', '[ EMAIL  1 ]', '[email1]', '[email-1]', '\\[email 1\\]'])(
    'are restored when written %s',
    (written) => {
      const rendering = libraryFrom(files('', '{a as masked} {b}')).prompt('p').render({ a: 'ines@marsh.example', b: '-' })
      expect(rendering.read(`Write to ${written} now.`).value).toBe('Write to ines@marsh.example now.')
    },
  )

  test('stay valid JSON', () => {
    const originals = { '[donor 1]': 'Ada "Net" Holm' }
    expect(JSON.parse(restorePlaceholders('{"to": "[donor 1]"}', originals))).toEqual({ to: 'Ada "Net" Holm' })
    expect(restorePlaceholders('To [donor 1].', originals)).toBe('To Ada "Net" Holm.')
  })

  test('stand for a personal value wherever it appears, in any case, and never in fixed text', () => {
    const prompt = libraryFrom(files('personal: [a]\n', 'Ada: {a as upper}. {b}')).prompt('p')
    const rendering = prompt.render({ a: 'Ada Holm', b: 'Given by ada  holm of Ada Holmby.' })
    expect(rendering.turns[0]!.text).toBe('Ada: [a 1]. Given by [a 1] of Ada Holmby.')
    expect(rendering.masked).toEqual({ '[a 1]': 'ADA HOLM' })
    expect(JSON.parse(prompt.prepare({ a: 'Ada Holm', b: '-' }).bytes())).toEqual([{ role: 'user', text: 'Ada: [a 1]. -' }])
  })

  test.each([
    ['sam', 'ſam'],
    ['νικος', 'ΝΙΚΟΣ'],
    ['νικος', 'νικοσ'],
    ['straße 3', 'STRAẞE 3'],
    ['kelvin', '\u212Aelvin'],
  ])('stand for %s in any other case: %s', (a, b) => {
    expect(libraryFrom(files('personal: [a]\n', '{a} {b}')).prompt('p').render({ a, b }).turns[0]!.text).toBe('[a 1] [a 1]')
  })

  test('are looked for in linear time', () => {
    const reply = '['.concat('1'.repeat(300_000), '[email '.repeat(50_000))
    expect(restorePlaceholders(reply, { '[email 1]': 'x' })).toBe(reply)
  })

  test('of a fence stay within it', () => {
    const prompt = libraryFrom({
      'prompts/p.yaml':
        'title: P\nvariables: { note: { type: text, untrusted: true } }\npersonal: [note]\nturns:\n  - user: |\n      {note as fenced}\n',
    }).prompt('p')
    expect(prompt.render({ note: 'note' }).turns[0]!.text).toBe('<note>\n[note 1]\n</note>')
  })

  test('of names come from the library’s list', () => {
    const library = 'personal-data: { names: [Barnaby Noll] }'
    const rendering = libraryFrom(files('', '{a as masked}{b}', library))
      .prompt('p')
      .render({ a: 'Given by barnaby noll', b: '.' })
    expect(rendering.turns[0]!.text).toBe('Given by [name 1].')
  })

  test('wrong settings are reported', () => {
    const problems = (more: string, library?: string) => libraryFrom(files(more, '{a} {b}', library)).problems.map(({ message }) => message)
    expect(problems('personal: [c]\n')).toEqual([expect.stringContaining('unknown')])
    expect(problems('', 'country: XX')).toEqual([expect.stringContaining('a country as two letters')])
    expect(problems('', 'personal-data: { min-score: 2 }')).toEqual([expect.stringContaining('a number from 0 to 1')])
  })
})
