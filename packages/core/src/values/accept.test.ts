import { describe, expect, test } from '@jest/globals'
import { onePrompt, problemsOf, written } from '../../../../test/support.js'

type Case = [type: string, value: unknown, result: string]

const message = (type: string, value: unknown): string => {
  const files = onePrompt('{a as json}', `{ a: ${type} }`)
  const [first] = problemsOf(files, { a: value }).filter((p) => p.code !== 'variable-unused')
  return first ? `${first.code}: ${first.message}` : written(files, { a: value })
}

describe('values are taken as declared', () => {
  test.each<Case>([
    ['text', 'a\r\nb\rc', '"a\\nb\\nc"'],
    ['text', '  kept  ', '"  kept  "'],
    ['integer', 7, '7'],
    ['integer', 12345678901234567890n, '"12345678901234567890"'],
    ['integer', '42', '42'],
    ['number', -0.5, '-0.5'],
    ['boolean', false, 'false'],
    ['date', '2024-02-29', '"2024-02-29"'],
    ['date', new Date(Date.UTC(2026, 10, 23, 23, 59)), '"2026-11-23"'],
    ['date-time', '2026-11-23T14:05:09.25-05:00', '"2026-11-23T14:05:09-05:00"'],
    ['date-time', '2026-11-23 14:05', '"2026-11-23T14:05:00"'],
    ['{ type: choice, of: [on display, in store] }', 'in store', '"in store"'],
    ['list of integer', [1, null, 3], '[1,null,3]'],
    ['record', { b: 1, a: { c: [] } }, '{"b":1,"a":{"c":[]}}'],
    ['{ type: record, fields: { a: text, b: { type: text, default: x } } }', { a: 'y', b: '' }, '{"a":"y","b":"x"}'],
    ['{ type: table, fields: { a: integer } }', [{ a: 1 }, { a: 2, more: 'kept' }], '[{"a":1},{"a":2,"more":"kept"}]'],
    ['{ type: integer, default: 3 }', undefined, '3'],
    ['{ type: text, optional: true }', null, '!no-turn-left'],
  ])('%s from %j', (type, value, result) => {
    expect(message(type, value).replace(/^no-turn-left: .*/, '!no-turn-left')).toBe(result)
  })
})

describe('values are refused with what was expected and what was found', () => {
  test.each<Case>([
    ['text', 5, 'value-invalid: "a" must be text, not 5'],
    ['text', { b: 1 }, 'value-invalid: "a" must be text, not a record'],
    ['text', undefined, 'value-missing: "a" is missing'],
    ['text', '', 'value-missing: "a" is missing'],
    ['{ type: text, max-words: 2 }', 'one – two three', 'value-bounds: "a" has 3 words, more than 2'],
    ['{ type: text, min-words: 2 }', 'one !', 'value-bounds: "a" has 1 word, fewer than 2'],
    ['number', Number.NaN, 'value-missing: "a" is missing'],
    ['number', Infinity, 'value-invalid: "a" must be a number, not Infinity'],
    ['number', '1e5', 'value-invalid: "a" must be a number, not "1e5"'],
    ['integer', 1.5, 'value-invalid: "a" must be an integer, not 1.5'],
    ['integer', '1.0', 'value-invalid: "a" must be an integer, not "1.0"'],
    ['boolean', 'yes', 'value-invalid: "a" must be a boolean, not "yes"'],
    ['date', '2026-02-29', 'value-invalid: "a" must be a date, not "2026-02-29"'],
    ['date', '23.11.2026', 'value-invalid: "a" must be a date, not "23.11.2026"'],
    ['date-time', '2026-11-23T25:00', 'value-invalid: "a" must be a date-time, not "2026-11-23T25:00"'],
    ['list of text', 'one', 'value-invalid: "a" must be a list of text, not "one"'],
    ['list of integer', [1, 'x'], 'value-invalid: "a.2" must be an integer, not "x"'],
    ['record', ['x'], 'value-invalid: "a" must be a record, not a list of 1'],
    [
      '{ type: record, fields: { b: { type: record, fields: { c: integer } } } }',
      { b: { c: 'x' } },
      'value-invalid: "a.b.c" must be an integer, not "x"',
    ],
    ['{ type: table, fields: { b: integer } }', [{ b: 1 }, {}], 'value-missing: "a.2.b" is missing'],
    [
      '{ type: file, media: [text/markdown] }',
      { name: 'a', mediaType: 'image/png', text: '' },
      'value-bounds: "a" is image/png, which is none of text/markdown',
    ],
    ['file', 'guide.md', 'value-invalid: "a" must be a file, not "guide.md"'],
    ['turns', [{ role: 'poet', text: 'x' }], 'value-invalid: "a.1" must be a record, not a record'],
    ['{ type: number, min: 1, max: 5 }', 0.5, 'value-bounds: "a" is below 1: 0.5'],
    ['{ type: number, min: 1, max: 5 }', '5.0000000000000000001', 'value-bounds: "a" is above 5: 5.0000000000000000001'],
    ['{ type: date, min: 2026-01-01 }', '2025-12-31', 'value-bounds: "a" is before 2026-01-01: 2025-12-31'],
    ['{ type: text, min-length: 3 }', 'ab', 'value-bounds: "a" is shorter than 3 characters'],
    ['{ type: text, max-length: 3 }', 'abcd', 'value-bounds: "a" is longer than 3 characters'],
    ['{ type: list of text, min-items: 2 }', ['x'], 'value-bounds: "a" has 1, fewer than 2'],
  ])('%s from %j', (type, value, result) => {
    expect(message(type, value)).toBe(result)
  })
})

test('numbers beyond a double compare digit for digit', () => {
  const text = '{when a > b}more{end}{when a is b}same{end}{when a < b}less{end}'
  const variables = '{ a: integer, b: integer }'
  expect(written(onePrompt(text, variables), { a: '90071992547409931', b: '90071992547409930' })).toBe('more')
  expect(written(onePrompt(text, variables), { a: 90071992547409931n, b: '90071992547409931' })).toBe('same')
})

test('names are the same however their letters are composed', () => {
  const [composed, apart] = ['Stra\u00dfe\u00e9', 'Stra\u00dfee\u0301']
  expect(
    written(onePrompt(`{${apart}} {r.${composed}}`, `{ ${composed}: text, r: { type: record, fields: { ${apart}: text } } }`), {
      [apart]: 'a',
      r: { [apart]: 'b' },
    }),
  ).toBe('a b')
})
