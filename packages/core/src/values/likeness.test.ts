import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { libraryFrom } from 'dunelight'
import { likeness, NEARLY_THE_SAME } from './likeness.js'

test.each([
  ['A brass lamp with a cracked glass.', 'The brass lamp, with its cracked glass', true],
  ['Brass lamp, cracked glass', 'A brass lamp; and a cracked glass too', true],
  ['Given by the harbour school in 1890', 'Given in 1890 by the harbour school', false],
  ['The lamp hung over the boat', 'The boat hung over the lamp', false],
  ['Made at Tern Point in 1890', 'Made at Tern Point in 1891', false],
  ['A bell of bronze, four inches', 'A bell of bronze, nine inches', false],
])('%s and %s', (text, other, alike) => {
  expect([text, likeness(text, other) >= NEARLY_THE_SAME]).toEqual([text, alike])
})

test('is 1 for itself, the same both ways, and within bounds', () => {
  const words = fc.array(fc.constantFrom('lamp', 'brass', 'of', '1890', 'a', 'glass'), { maxLength: 8 }).map((list) => list.join(' '))
  fc.assert(
    fc.property(words, words, (text, other) => {
      expect(likeness(text, text)).toBe(1)
      const number = likeness(text, other)
      expect([number >= 0 && number <= 1, likeness(other, text)]).toEqual([true, number])
    }),
  )
})

test('rows and items of a reply that are nearly the same are marked', () => {
  const of = (output: string, reply: string) =>
    libraryFrom({ 'outputs/o.yaml': output, 'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]' })
      .prompt('p')
      .render({})
      .read(reply)
      .similar.map((p) => (expect(p.code).toBe('reply-items-alike'), p.message))
  const rows = 'kind: rows\nrow: "<heading> (<year: integer>)"'
  expect(of(rows, 'The old brass lamp (1890)\nA bell of the school (1911)\nOld brass lamp (1890)')).toEqual([
    '"rows.3" is nearly the same as "rows.1"',
  ])
  expect(of(rows, 'The old brass lamp (1890)\nThe old iron bell (1890)')).toEqual([])
  const fields = 'kind: fields\nfields: { words: list of text, parts: { type: list of record, fields: { name: text, use: text } } }'
  const parts = [
    { name: 'burner', use: 'holds the wick in place' },
    { name: 'The burner', use: 'it holds the wick in place' },
  ]
  expect(of(fields, JSON.stringify({ words: ['lamp', 'Lamp', 'lamps'], parts }))).toEqual([
    '"words.2" is nearly the same as "words.1"',
    '"parts.2" is nearly the same as "parts.1"',
  ])
})
