import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import { FORMATS } from 'dunelight/parts'
import { codesOf, onePrompt, written } from '../../../../../test/support.js'

const VARIABLES =
  '{ t: text, l: list of text, n: number, ns: list of number, d: date, dt: date-time, b: boolean, r: { type: table, fields: { week: integer, room: text } } }'
const VALUES = {
  t: 'the keeper’s "old" lamp, dry; worn.',
  l: ['rope', 'oak', 'rope'],
  n: 1890.5,
  ns: [4, 1, 2.5],
  d: '2026-11-23',
  dt: '2026-11-23T14:05:09+01:00',
  b: false,
  r: [
    { week: 7, room: 'N2' },
    { week: 8, room: 'a|b' },
  ],
}

/** Every format, without a locale, as the language page shows it. */
const CASES: readonly [slot: string, result: string][] = [
  ['t as upper', 'THE KEEPER’S "OLD" LAMP, DRY; WORN.'],
  ['t as lower', 'the keeper’s "old" lamp, dry; worn.'],
  ['t as title', 'The Keeper’s "Old" Lamp, Dry; Worn.'],
  ['t as sentence', 'The keeper’s "old" lamp, dry; worn.'],
  ['t as trimmed', 'the keeper’s "old" lamp, dry; worn.'],
  ['t as one-line', 'the keeper’s "old" lamp, dry; worn.'],
  ['t as words 5', 'the keeper’s "old" lamp, dry…'],
  ['t as chars 12', 'the keeper’s…'],
  ['t as chars 5', 'the…'],
  ['t as quoted', '"the keeper’s \'old\' lamp, dry; worn."'],
  ['t as code', '`the keeper’s "old" lamp, dry; worn.`'],
  ['t as indented 2', '  the keeper’s "old" lamp, dry; worn.'],
  ['t as fenced "note"', '<note>\nthe keeper’s "old" lamp, dry; worn.\n</note>'],
  ['t as masked', 'the keeper’s "old" lamp, dry; worn.'],
  ['l as list', 'rope, oak, rope'],
  ['l as list " / "', 'rope / oak / rope'],
  ['l as sentence-list', 'rope, oak and rope'],
  ['l as sentence-list "or"', 'rope, oak or rope'],
  ['l as bullets', '- rope\n- oak\n- rope'],
  ['l as numbered', '1. rope\n2. oak\n3. rope'],
  ['l as per-line', 'rope\noak\nrope'],
  ['r as per-line', 'week: 7, room: N2\nweek: 8, room: a|b'],
  ['l as sorted', 'oak, rope, rope'],
  ['ns as sorted', '1, 2.5, 4'],
  ['l as unique', 'rope, oak'],
  ['l as first 1', 'rope'],
  ['l as last 2', 'oak, rope'],
  ['l as count', '3'],
  ['ns as sum', '7.5'],
  ['ns as mean', '2.5'],
  ['ns as median', '2.5'],
  ['ns as least', '1'],
  ['ns as most', '4'],
  ['r as table', '| week | room |\n|---|---|\n| 7 | N2 |\n| 8 | a\\|b |'],
  ['r as table "room"', '| room |\n|---|\n| N2 |\n| a\\|b |'],
  ['r as csv', 'week,room\n7,N2\n8,a|b'],
  ['r as json', '[{"week":7,"room":"N2"},{"week":8,"room":"a|b"}]'],
  ['l as json 2', '[\n  "rope",\n  "oak",\n  "rope"\n]'],
  ['t as json-inner', 'the keeper’s \\"old\\" lamp, dry; worn.'],
  ['r as yaml', '- week: 7\n  room: N2\n- week: 8\n  room: a|b'],
  ['r as column "week" as sum', '15'],
  ['n as number', '1,890.5'],
  ['n as number 0', '1,891'],
  ['n as percent', '189,050%'],
  ['n as currency "EUR"', 'EUR 1,890.50'],
  ['n as ordinal', '1891st'],
  ['n as plain', '1890.5'],
  ['d as date', '23 November 2026'],
  ['dt as date "d.M.yyyy HH:mm"', '23.11.2026 14:05'],
  ['d as weekday', 'Monday'],
  ['d as year', '2026'],
  ['b as either "out" "in"', 'in'],
]

describe('formats', () => {
  test.each(CASES)('%s', (slot, result) => {
    expect(written(onePrompt(`{${slot}}`, VARIABLES), VALUES)).toBe(result)
  })

  test('each is shown above', () => {
    const shown = CASES.map(([slot]) => slot).join(' ')
    expect(FORMATS.map((f) => f.name).filter((name) => !new RegExp(`as ${name}( |$)`).test(shown))).toEqual([])
  })

  test.each([
    ['de', '1.890,5', '23. November 2026', 'rope, oak und rope', '0,25\u00a0%'.replace('0,25', '25')],
    ['en-GB', '1,890.5', '23 November 2026', 'rope, oak and rope', '25%'],
  ])('write in the locale %s', (locale, number, date, list, percent) => {
    const text = '{n as number}|{d as date}|{l as sentence-list}|{q as percent}'
    const result = written(onePrompt(text, `${VARIABLES.slice(0, -1)}, q: number }`), { ...VALUES, q: 0.25 }, { locale })
    expect(result).toBe([number, date, list, percent].join('|'))
  })

  test('map over the items of a list, and leave missing ones out', () => {
    expect(written(onePrompt('{l as upper as list "+"}', VARIABLES), { ...VALUES, l: ['a', null, 'b'] })).toBe('A+B')
  })

  test('round halves away from zero on the shortest decimal', () => {
    const text = '{a as number 2} {b as number 0} {c as percent}'
    expect(written(onePrompt(text, '{ a: number, b: number, c: number }'), { a: 1.005, b: -0.5, c: 0.07 })).toBe('1.01 -1 7%')
  })

  test('decide at rendering for values of an open record', () => {
    expect(
      written(onePrompt('{i.n as number 1} {i.d as date} {i.l as sum}', '{ i: record }'), { i: { n: 2, d: '2026-11-23', l: [1, 2] } }),
    ).toBe('2.0 23 November 2026 3')
    expect(codesOf(onePrompt('{i.t as number}', '{ i: record }'), { i: { t: 'x' } })).toEqual(['value-not-formattable'])
  })

  test('can be added by a program, under a name that is not taken', () => {
    const shout = {
      name: 'shout',
      about: 'louder',
      takes: 'text',
      parameters: [],
      gives: () => ({ kind: 'text' as const }),
      write: (value: unknown) => `${String(value)}!`,
    }
    const library = libraryFrom(onePrompt('{t as shout}', '{ t: text }'), { formats: [shout] })
    expect(library.prompt('p').render({ t: 'ahoy' }).turns[0]?.text).toBe('ahoy!')
    expect(() => libraryFrom({}, { formats: [{ ...shout, name: 'upper' }] })).toThrow(TypeError)
  })
})

describe('masked', () => {
  test('numbers kinds in order of first appearance, the same for the same value throughout a rendering', () => {
    const library = libraryFrom(onePrompt('{a as masked}\n{b as masked}', '{ a: text, b: text }'))
    const { turns, masked } = library.prompt('p').render({
      a: 'Write to ines@post.example or call +44 1632 960 123, object MH-0007 of 2026-11-23.',
      b: 'INES@post.example, nan@post.example, IBAN DE89 3704 0044 0532 0130 00 and 4539 1488 0343 6467',
    })
    expect(turns[0]?.text).toBe(
      'Write to [email 1] or call [phone 1], object MH-0007 of 2026-11-23.\n[email 1], [email 2], IBAN [account 1] and [card 1]',
    )
    expect(masked).toEqual({
      '[email 1]': 'ines@post.example',
      '[email 2]': 'nan@post.example',
      '[phone 1]': '+44 1632 960 123',
      '[account 1]': 'DE89 3704 0044 0532 0130 00',
      '[card 1]': '4539 1488 0343 6467',
    })
  })

  test.each(['MH-0104 and MH-0105', '12.11.2026, 2026/11/23, 1890–1905', 'room 12, shelf 3, 45 x 60 mm', '1234 5678 9012 3456 is no card'])(
    'leaves alone: %s',
    (text) => {
      expect(written(onePrompt('{a as masked}', '{ a: text }'), { a: text })).toBe(text)
    },
  )
})

describe('code', () => {
  test.each([
    ['x', '`x`'],
    ['`x', '`` `x ``'],
    ['x`', '`` x` ``'],
    ['`', '`` ` ``'],
    [' x ', '`  x  `'],
    ['a ``b`` c', '```a ``b`` c```'],
  ])('of %j is read back by Markdown as it was', (text, written) => {
    const rendering = libraryFrom(onePrompt('>{a as code}', '{ a: text }')).prompt('p').render({ a: text })
    expect(rendering.turns[0]!.text).toBe(`>${written}`)
  })
})
