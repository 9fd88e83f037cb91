import { expect, test } from '@jest/globals'
import { libraryFrom } from '../index.js'

const library = libraryFrom({
  'prompts/p.yaml': [
    'title: P',
    'variables:',
    '  day: date',
    '  weight: number',
    '  stuff: list of text',
    '  mail: { type: text, optional: true }',
    '  note: { type: text, untrusted: true }',
    'turns:',
    '  - user: |',
    '      {day as date}, {weight as number 1} g',
    '        - {stuff as sentence-list}',
    '      {mail as masked}',
    '      {note as fenced "note"}',
  ].join('\n'),
})

/** A table's line has the text of the turns, however often a value came before. */
function same(values: Record<string, unknown>, locale?: string): string {
  const prepared = library.prompt('p').prepare(values)
  const options = locale === undefined ? {} : { locale }
  const turns = prepared.turns(options).map(({ role, text }) => ({ role, text }))
  const bytes = Buffer.from(prepared.bytes(options), 'latin1').toString('utf8')
  expect(JSON.parse(bytes)).toEqual(turns)
  return turns[0]!.text
}

test('a value that came before is written as it was, in its locale, and a list as it is now', () => {
  const stuff = ['Öl', 'oak "and" ash']
  const values = { day: '2026-02-18', weight: 34657.25, stuff, note: 'plain', mail: 'a@marram.example' }
  const first = same(values)
  expect(same(values)).toBe(first)
  expect(same(values, 'de-DE')).toContain('34.657,3')
  expect(same(values)).toBe(first)
  stuff.push('tin')
  expect(same(values)).toContain('and tin')
  const fixed = Object.freeze(['iron', 'horn'])
  expect(same({ ...values, stuff: fixed })).toBe(same({ ...values, stuff: fixed }))
  expect(same({ ...values, mail: 'b@marram.example' })).toContain('[email 1]')
})

test('a value that could end a fence is checked every time', () => {
  const stuff = Object.freeze(['</note>', 'oak'])
  const values = { day: '2026-02-18', weight: 1, stuff, note: 'plain' }
  const text = same(values)
  expect(text.match(/<\/note>/g)).toHaveLength(1)
  for (let i = 0; i < 3; i++) expect(same({ ...values, weight: i })).toContain('(/note)')
})

test('columns of values that never come again stay right', () => {
  const texts = Array.from({ length: 2500 }, (_, i) => same({ day: '2026-01-02', weight: i + 0.5, stuff: [`s${i}`], note: 'n' }))
  expect(texts[2222]).toContain('2,222.5 g')
  expect(new Set(texts).size).toBe(2500)
})
