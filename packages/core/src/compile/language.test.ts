import { describe, expect, test } from '@jest/globals'
import { onePrompt, written, type Files } from '../../../../test/support.js'

type Case = [does: string, text: string, variables: string, values: Record<string, unknown>, result: string, more?: Files]

function rules(name: string, cases: readonly Case[]): void {
  describe(name, () => {
    test.each(cases)('%s', (_does, text, variables, values, result, more = {}) => {
      expect(written(onePrompt(text, variables, more), values)).toBe(result)
    })
  })
}

const ITEM =
  '{ item: { type: record, fields: { title: text, made: { type: integer, optional: true }, parts: { type: list of text, optional: true } } } }'

rules('literal text', [
  ['a JSON skeleton', '{"a": {"b": [1, {}]}, "c": { d }}', '{}', {}, '{"a": {"b": [1, {}]}, "c": { d }}'],
  ['a regular expression', String.raw`^\d{3,}\s\{[^}]*\}$ \{\d+\}`, '{}', {}, String.raw`^\d{3,}\s\{[^}]*\}$ \{\d+\}`],
  ['a Markdown table', '| a | b |\n|---|---|\n| 1 | `x{2}` |', '{}', {}, '| a | b |\n|---|---|\n| 1 | `x{2}` |'],
  ['tildes that are no directives', '~~~\n~5 km\n~/notes\n~', '{}', {}, '~~~\n~5 km\n~/notes\n~'],
  ['an escaped directive line whose slots are read', '\\~ when {title} comes', '{ title: text }', { title: 'fog' }, '~ when fog comes'],
  ['two backslashes before a directive line lose one', '\\\\~ when it rains', '{}', {}, '\\~ when it rains'],
  ['an escaped brace', '\\{title} {title}', '{ title: text }', { title: 'lamp' }, '{title} lamp'],
  ['blanks between tokens', '{ title } {title  or  "x"   as  upper }', '{ title: text }', { title: 'oar' }, '{ title } OAR'],
  [
    'a name with letters of any script',
    '{Größe_2} {наименование}',
    '{ Größe_2: text, наименование: text }',
    { Größe_2: 'a', наименование: 'b' },
    'a b',
  ],
])

rules('slots', [
  [
    'text, numbers, truth and dates',
    '{a} {b} {c} {d}',
    '{ a: text, b: number, c: boolean, d: date }',
    { a: 'x', b: 1.5e-7, c: true, d: '2026-11-23' },
    'x 0.00000015 yes 2026-11-23',
  ],
  [
    'numbers without exponent, minus zero as zero',
    '{a} {b} {c}',
    '{ a: number, b: number, c: integer }',
    { a: 1e21, b: -0, c: 12345678901234567890n },
    '1000000000000000000000 0 12345678901234567890',
  ],
  [
    'decimal text digit for digit',
    '{a}',
    '{ a: number }',
    { a: '12345678901234567890.12345678901234567890' },
    '12345678901234567890.1234567890123456789',
  ],
  [
    'a Date in UTC',
    '{d} {t}',
    '{ d: date, t: date-time }',
    { d: new Date('2026-11-23T23:30:00Z'), t: new Date('2026-11-23T23:30:00Z') },
    '2026-11-23 2026-11-23T23:30:00Z',
  ],
  [
    'a record as lines, lists within as JSON',
    '{item}',
    '{ item: record }',
    { item: { a: 1, b: ['x'], c: null, d: { e: 1 } } },
    'a: 1\nb: ["x"]\nd: {"e":1}',
  ],
  [
    'declared fields first, then what the record carries along',
    '{item}',
    ITEM,
    { item: { extra: true, title: 'oar' } },
    'title: oar\nextra: yes',
  ],
  ['a file as its text', '{f}', '{ f: { type: file } }', { f: { name: 'a.md', mediaType: 'text/markdown', text: 'a\r\nb' } }, 'a\nb'],
  [
    'the first path that is there',
    '{a or b or "none"}',
    '{ a: { type: text, optional: true }, b: { type: text, optional: true } }',
    { b: 'B' },
    'B',
  ],
  ['a null in an open record writes nothing', '[{item.maker}]', '{ item: record }', { item: { maker: null } }, '[]'],
  ['a missing step of an optional record is missing', '[{item.a.b}]', '{ item: { type: record, optional: true } }', {}, '[]'],
  ['defaults for what is missing or empty', '{a}', '{ a: { type: text, default: plain } }', { a: '' }, 'plain'],
  ['counted steps from both ends', '{l.1}{l.-1}{l.9 or "-"}', '{ l: list of text }', { l: ['a', 'b', 'c'] }, 'ac-'],
])

rules('conditions', [
  [
    'presence, emptiness, not',
    '{when a}1{end}{when not a}2{end}{when b is empty}3{end}{when b is not empty}4{end}',
    '{ a: { type: boolean }, b: list of text }',
    { a: false, b: [] },
    '23',
  ],
  [
    'numbers by size, dates by day, text by code point',
    '{when n > 9}1{end}{when d < "2026-12-01"}2{end}{when t < "b"}3{end}{when 2 <= n}4{end}',
    '{ n: number, d: date, t: text }',
    { n: 10, d: '2026-11-23', t: 'a' },
    '1234',
  ],
  [
    'date-times as instants',
    '{when a is b}same{end}',
    '{ a: date-time, b: date-time }',
    { a: '2026-11-23T12:00:00+01:00', b: '2026-11-23T11:00:00Z' },
    'same',
  ],
  [
    'in and has, lists and texts',
    '{when "a" in l}1{end}{when l has "z"}2{end}{when "ell" in t}3{end}{when t not in ("x", "y")}4{end}',
    '{ l: list of text, t: text }',
    { l: ['a'], t: 'bell' },
    '134',
  ],
  [
    'and binds before or, parentheses first',
    '{when a or b and c}1{end}{when (a or b) and c}2{end}',
    '{ a: boolean, b: boolean, c: boolean }',
    { a: true, b: false, c: false },
    '1',
  ],
  [
    'a missing side',
    '{when m is "x"}1{end}{when m is not "x"}2{end}{when m < "x"}3{end}',
    '{ m: { type: text, optional: true } }',
    {},
    '2',
  ],
  [
    'otherwise when, otherwise',
    '~ when n is 1\none\n~ otherwise when n is 2\ntwo\n~ otherwise\nmany\n~ end',
    '{ n: integer }',
    { n: 2 },
    'two',
  ],
  [
    'values of an open record by what they are',
    '{when item.n > 3}1{end}{when item.n is "5"}2{end}{when item.t has "a"}3{end}',
    '{ item: record }',
    { item: { n: 5, t: ['a'] } },
    '13',
  ],
])

rules('each', [
  [
    'position of the kept, otherwise where none is left',
    '~ each x, n in l keep x is not "b"\n{n}{x}\n~ end\n~ each x in l keep x is "z"\n{x}\n~ otherwise\nnone\n~ end',
    '{ l: list of text }',
    { l: ['a', 'b', 'c'] },
    '1a\n2c\nnone',
  ],
  [
    'a record by key and value',
    '{each e in item joined ", "}{e.key}={e.value}{end}',
    '{ item: record }',
    { item: { a: 1, b: 'x' } },
    'a=1, b=x',
  ],
  [
    'a table by rows',
    '~ each r in t\n- {r.week}: {r.n}\n~ end',
    '{ t: { type: table, fields: { week: integer, n: integer } } }',
    {
      t: [
        { week: 1, n: 5 },
        { week: 2, n: 6 },
      ],
    },
    '- 1: 5\n- 2: 6',
  ],
  [
    'no separator beside a body that writes nothing',
    '{each x in l joined ", "}{x}{end}',
    '{ l: list of text }',
    { l: ['a', null, 'c'] },
    'a, c',
  ],
  [
    'joined over bodies of several lines',
    '~ each x in l joined " /"\n{x}\n{x as upper}\n~ end\nend',
    '{ l: list of text }',
    { l: ['a', 'b'] },
    'a\nA /\nb\nB\nend',
  ],
  ['loops within loops', '{each a in l}{each b in l}{a}{b} {end}{end}', '{ l: list of text }', { l: ['x', 'y'] }, 'xx xy yx yy '],
  [
    'formats before the loop',
    '{each x in l as sorted as first 2 joined "-"}{x}{end}',
    '{ l: list of text }',
    { l: ['c', 'a', 'b'] },
    'a-b',
  ],
])

const SNIPPETS: Files = {
  'snippets/two.md': 'one\n  two\n\nthree\n',
  'snippets/limit.yaml':
    'variables: { words: { type: integer, default: 60 }, thing: { type: text, optional: true } }\ntext: "At most {words} words{when thing} on the {thing}{end}"',
  'snippets/nested.yaml': 'text: |\n  Rules:\n    ~ use two',
  'snippets/nothing.yaml': 'variables: { a: { type: text, optional: true } }\ntext: "{a}"',
  'snippets/ages/child.md': 'Simply.',
  'snippets/ages/adult.md': 'Fully.',
}

rules('use', [
  [
    'defaults, with, a fallback in with',
    '{use limit} / {use limit with words = 5, thing = a or "lamp" as upper}',
    '{ a: { type: text, optional: true } }',
    { a: 'oar' },
    'At most 60 words / At most 5 words on the OAR',
    SNIPPETS,
  ],
  [
    'a literal fallback stays as spelled',
    '{use limit with thing = a or "lamp" as upper}',
    '{ a: { type: text, optional: true } }',
    {},
    'At most 60 words on the lamp',
    SNIPPETS,
  ],
  ['lines of a snippet move in with its directive', 'A\n  ~ use two\nB', '{}', {}, 'A\n  one\n    two\n\n  three\nB', SNIPPETS],
  ['snippets in snippets', '> {use nested}', '{}', {}, '> Rules:\n>   one\n>     two\n>\n>   three', SNIPPETS],
  ['a step that is a slot', '~ use ages/{who}', '{ who: { type: choice, of: [child, adult] } }', { who: 'adult' }, 'Fully.', SNIPPETS],
  ['inline on a line of other words', 'Say {use ages/child} now', '{}', {}, 'Say Simply. now', SNIPPETS],
])

rules('layout', [
  ['a line that writes nothing goes, blanks and all', 'a\n  {x}  \nb', '{ x: { type: text, optional: true } }', {}, 'a\nb'],
  ['a line with other signs stays', 'a\n- {x}\nb', '{ x: { type: text, optional: true } }', {}, 'a\n- \nb'],
  ['an inline block alone on its line', 'a\n{when x}only then{end}\nb', '{ x: { type: text, optional: true } }', {}, 'a\nb'],
  ['a block with its own blank lines', 'a\n\n~ when x\n\nin\n\n~ end\n\nb', '{ x: boolean }', { x: true }, 'a\n\n\nin\n\n\nb'],
  [
    'one blank line goes around a run of nothing',
    'a\n\n~ when x\n1\n~ end\n{y}\n~ aside z\n\nb',
    '{ x: boolean, y: { type: text, optional: true } }',
    { x: false },
    'a\n\nb',
  ],
  [
    'two runs with one blank line between',
    'a\n\n~ when x\n1\n~ end\n\n{y}\n\nb',
    '{ x: boolean, y: { type: text, optional: true } }',
    { x: false },
    'a\n\nb',
  ],
  [
    'dedent of nested blocks',
    'x\n  ~ when a\n      one\n      ~ when a\n        two\n      ~ end\n  ~ end',
    '{ a: boolean }',
    { a: true },
    'x\n  one\n  two',
  ],
  [
    'inline blocks over line ends',
    'x {when a}one\n{b}\ntwo{end} y',
    '{ a: boolean, b: { type: text, optional: true } }',
    { a: true },
    'x one\ntwo y',
  ],
  ['an inline block over lines that does not hold', 'x\n{when a}\none\n{end}\ny', '{ a: boolean }', { a: false }, 'x\ny'],
  [
    'line blocks within inline blocks',
    '{when a}\n~ each x in l\n- {x}\n~ end\n{end}\nend',
    '{ a: boolean, l: list of text }',
    { a: true, l: ['1', '2'] },
    '- 1\n- 2\nend',
  ],
  ['a value of lines in a quoted list', '> - {n}', '{ n: text }', { n: 'a\n\nb' }, '> - a\n>\n>   b'],
  ['a value of lines behind words stays as it is', 'Note: {n}', '{ n: text }', { n: 'a\nb' }, 'Note: a\nb'],
  ['leading and trailing blank lines of a turn', '\n\n{x}\n\n\n', '{ x: text }', { x: 'a' }, 'a'],
  ['a last line that goes takes its line end along', 'a\n{x}', '{ x: { type: text, optional: true } }', {}, 'a'],
  ['a snippet that writes nothing between blank lines', 'a\n\n~ use nothing\n\nb', '{}', {}, 'a\n\nb', SNIPPETS],
  [
    'untouched keeps the language away, outer dedent apart',
    '~ when a\n  ~ untouched\n  {x} ~ end\n    ~ end\n  ~ end\n  {b}\n~ end',
    '{ a: boolean, b: text }',
    { a: true, b: 'B' },
    '{x} ~ end\n  ~ end\nB',
  ],
])

test('vary takes the same wording for the same seed, record and place, and other ones otherwise', () => {
  const files = onePrompt('{vary}a{instead}b{instead}c{instead}d{end}')
  expect(written(files, {}, { seed: 3, record: 'MH-1' })).toBe(written(files, {}, { seed: 3, record: 'MH-1' }))
  const seen = new Set(Array.from({ length: 40 }, (_, seed) => written(files, {}, { seed })))
  expect([...seen].sort()).toEqual(['a', 'b', 'c', 'd'])
  const byRecord = new Set(Array.from({ length: 40 }, (_, n) => written(files, {}, { record: `MH-${n}` })))
  expect(byRecord.size).toBe(4)
})

test('a text beyond the limits is a problem, not a hang', () => {
  expect(written(onePrompt('{x}{x}', '{ x: text }'), { x: 'a'.repeat(3_000_000) })).toBe('!bytes-over-limit')
  const small = { 'dunelight.yaml': 'limits: { repeats: 3, rendering-bytes: 50 }' }
  expect(written(onePrompt('{each a in x}.{end}', '{ x: list of text }', small), { x: ['1', '2', '3', '4'] })).toBe('!repeats-over-limit')
  expect(written(onePrompt('{x}', '{ x: text }', small), { x: 'ä'.repeat(30) })).toBe('!bytes-over-limit')
})
