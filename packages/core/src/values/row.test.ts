import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import type { PromptRows } from 'dunelight/parts'
import { sentence } from 'dunelight/host'
import { onePrompt } from '../../../../test/support.js'

function reader(variables: string, headings: string[], text = 'x', locale?: string): PromptRows {
  return libraryFrom(onePrompt(text, variables))
    .prompt('p')
    .reader(headings, locale === undefined ? {} : { locale })
}
const ITEM =
  '{ item: { type: record, fields: { object-no: text, made: { type: integer, optional: true, min: 1500 }, shown: { type: boolean, optional: true }, day: { type: date, optional: true }, parts: { type: list of text, optional: true } } } }'

describe('headings', () => {
  test('match names regardless of case, spaces and punctuation', () => {
    expect(reader(ITEM, ['Object No.', 'MADE', 'Shown?', 'day', 'Parts']).problems).toEqual([])
  })

  test('that are missing, repeated or unused are reported, with the most likely name', () => {
    const { problems } = reader('{ title: text, made: integer }', ['Titel', 'Made', 'made ', 'Notes'])
    expect(problems.map((p) => [p.code, p.hint])).toEqual([
      ['heading-missing', 'did you mean "Titel"?'],
      ['heading-duplicate', 'rename one of them'],
      ['heading-unused', 'did you mean "title"?'],
      ['heading-unused', undefined],
    ])
  })

  test('give the variables themselves where there is no record', () => {
    expect(reader('{ a: text, b: integer }', ['A', 'B']).read(['x', '5'], 1)).toMatchObject({ prepared: { values: { a: 'x', b: 5 } } })
  })
})

describe('cells', () => {
  const row = (cells: string[]) => reader(ITEM, ['Object No.', 'Made', 'Shown', 'Day', 'Parts']).read(cells, 7)

  test('are read by the declared type', () => {
    expect(row([' MH-1 ', '1,890', 'No', '2026-11-23', 'oak; brass;']).prepared?.values).toEqual({
      item: { 'object-no': 'MH-1', made: 1890, shown: false, day: '2026-11-23', parts: ['oak', 'brass'] },
    })
    expect(row(['MH-1', '', '', '', '["a;b"]']).prepared?.values).toEqual({
      item: { 'object-no': 'MH-1', made: null, shown: null, day: null, parts: ['a;b'] },
    })
  })

  test.each([
    [['', '1890', '', '', ''], 'row 7, column "Object No." is empty', 'cell-missing'],
    [
      ['MH-1', 'c. 1890', '', '', ''],
      'row 7, column "Made": "c. 1890" is not a whole number (write 1890 if that is meant)',
      'cell-invalid',
    ],
    [['MH-1', '1200', '', '', ''], 'row 7, column "Made": "1200" is below the minimum 1500', 'cell-invalid'],
    [['MH-1', '', 'perhaps', '', ''], 'row 7, column "Shown": "perhaps" is not yes or no', 'cell-invalid'],
    [['MH-1', '', '', '2026-02-30', ''], 'row 7, column "Day": "2026-02-30" is not a date such as 2026-11-23', 'cell-invalid'],
    [['MH-1', ''], 'row 7 has 2 cells, but there are 5 headings (look for a missing quote or an unquoted comma in this row)', 'row-ragged'],
  ])('%j are rejected', (cells, message, code) => {
    expect(row(cells).problems.map((p) => [p.code, sentence(p)])).toEqual([[code, message]])
  })

  test('contain documents themselves, not their paths', () => {
    const guide = (cell: string) => reader('{ guide: file }', ['guide']).read([cell], 1)
    expect(guide('data:text/plain,Keel%20up').prepared?.values['guide']).toMatchObject({ mediaType: 'text/plain', text: 'Keel up' })
    expect(guide('{"name":"keel.md","mediaType":"text/markdown","text":"Keel up"}').problems).toEqual([])
    expect(guide('keel.md').problems.map(sentence)).toEqual([
      'row 1, column "guide": "keel.md" is not a data: address, or a file as JSON with name, mediaType and text',
    ])
  })

  test('take numbers in the locale’s writing', () => {
    expect(reader('{ n: number }', ['n'], 'x', 'de').read(['1.890,5'], 1)).toMatchObject({ prepared: { values: { n: 1890.5 } } })
    expect(reader('{ n: number }', ['n'], 'x', 'en').read(['1.890'], 1)).toMatchObject({ prepared: { values: { n: 1.89 } } })
    for (const cell of ['1.890', '1,890', '-12.500'])
      expect(reader('{ n: number }', ['n']).read([cell], 1).problems[0]!.message).toMatch(
        /is not an unambiguous number \(-?\d+ or -?[\d.]+\?\)/,
      )
    for (const [cell, n] of [
      ['0.125', 0.125],
      ['1890.5', 1890.5],
      ['1.89', 1.89],
      ['1,234,567', 1234567],
      ['1.8905', 1.8905],
    ] as const)
      expect(reader('{ n: number }', ['n']).read([cell], 1)).toMatchObject({ prepared: { values: { n } } })
    expect(reader('{ n: number }', ['n'], 'x', 'nb').read(['1\u00a0890,5'], 1)).toMatchObject({ prepared: { values: { n: 1890.5 } } })
  })

  test('take marks and dates in other orders where they are declared so', () => {
    const variables = '{ seen: { type: boolean, reads: mark }, day: { type: date, reads: "d.M.yyyy" } }'
    expect(reader(variables, ['seen', 'day']).read(['x', '5.3.2026'], 1)).toMatchObject({
      prepared: { values: { seen: true, day: '2026-03-05' } },
    })
  })
})
