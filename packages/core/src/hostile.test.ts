import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import { variablesFromSchema } from 'dunelight/parts'
import { codesOf, onePrompt, problemsOf, written, type Files } from '../../../test/support.js'

// Input that would keep a careless program busy, or overflow its stack: each ends in a problem, for that file or record only.

const GOOD = { 'prompts/good.yaml': 'title: G\nturns: [{ user: Go. }]\n' }
const works = (files: Files) =>
  libraryFrom({ ...files, ...GOOD })
    .prompt('good')
    .render({}).turns[0]!.text

describe('a file', () => {
  const anchors = 'a: &a { b: *a }\n'
  test.each([
    ['prompts/p.yaml', `title: P\nsettings: &s { inner: *s }\nturns: [{ user: x }]\n`],
    ['dunelight.yaml', anchors],
    ['models.yaml', anchors],
    ['snippets/s.yaml', `variables: &v { x: *v }\ntext: x\n`],
    ['personas/p.yaml', `who: x\nalways: &l [*l]\n`],
    ['examples/e.yaml', `title: E\nfields: { a: text }\ncases: &c [*c]\n`],
    ['outputs/o.yaml', `kind: fields\nfields: &f { a: *f }\n`],
    ['batches/b.yaml', `prompt: good\nrecords: &r { from: *r }\n`],
    ['envelopes/e.yaml', `body: &b { c: *b }\n`],
  ])('with an anchor that holds itself is one problem: %s', (path, text) => {
    const files = { [path]: text, ...GOOD }
    expect(
      problemsOf(files)
        .filter((p) => p.severity === 'error')
        .map((p) => [p.place?.file, p.message]),
    ).toEqual([[path, expect.stringContaining('an anchor contains itself')]])
    if (path !== 'dunelight.yaml') expect(works(files)).toBe('Go.')
  })

  test.each([201, 2500, 40_000])('nested %i deep is one problem', (depth) => {
    for (const [open, close] of [
      ['[', ']'],
      ['{a: ', '}'],
    ] as const) {
      const files = {
        'prompts/p.yaml': `title: P\nsettings: ${open.repeat(depth)}1${close.repeat(depth)}\nturns: [{ user: x }]\n`,
        ...GOOD,
      }
      expect(problemsOf(files).map((p) => p.message)).toEqual([expect.stringContaining('nested more than 200 deep')])
      expect(works(files)).toBe('Go.')
    }
  })

  test('with a type of lists 20,000 deep', () => {
    expect(codesOf(onePrompt('x', `{ a: ${'list of '.repeat(20_000)}text }`))).toContain('key-invalid')
  })

  test('with a JSON Schema 3,000 deep', () => {
    let schema: object = { type: 'string' }
    for (let i = 0; i < 3000; i++) schema = { type: 'object', properties: { a: schema } }
    let text = '{"type":"string"}'
    for (let i = 0; i < 3000; i++) text = `{"type":"object","properties":{"a":${text}}}`
    expect(codesOf({ 'outputs/o.schema.json': text, 'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: x }]\n' })).toContain(
      'yaml-invalid',
    )
    expect(variablesFromSchema(schema as never).problems.length).toBeGreaterThan(0)
  })
})

describe('based-on', () => {
  const chain = (length: number, last: string): Files =>
    Object.fromEntries(
      Array.from({ length }, (_, i) => [`prompts/p${i}.yaml`, `title: P${i}\n${i + 1 < length ? `based-on: p${i + 1}\n` : last}`]),
    )

  test('3,000 prompts in a chain open', () => {
    const library = libraryFrom(chain(3000, 'turns: [{ user: Go. }]\n'))
    expect(library.problems.filter((p) => p.severity === 'error')).toEqual([])
    expect(library.prompt('p0').render({}).turns[0]!.text).toBe('Go.')
  })

  test('a circle is named', () => {
    const problem = problemsOf(chain(4, 'based-on: p0\n')).find((p) => p.message.includes('circle') || p.message.includes('p1'))
    expect(problem?.message).toBe('cyclic "based-on": p0 → p1 → p2 → p3 → p0')
  })
})

describe('a rendering', () => {
  const many = Array.from({ length: 50_000 }, (_, i) => `item ${i}`)

  test('asks a list for each of its items by an index', () => {
    expect(written(onePrompt('{each x in a}{when a has x}.{end}{end}', '{ a: list of text }'), { a: many })).toHaveLength(50_000)
    expect(
      written(onePrompt('{each x in a}{when x in b}.{end}{end}', '{ a: list of number, b: list of number }'), {
        a: [1, 2.5, 3],
        b: [3, 1],
      }),
    ).toBe('..')
    expect(
      written(onePrompt('{each x in a}{when b has x}.{end}{end}', '{ a: list of date, b: list of date }'), {
        a: ['2026-11-23', '2026-11-24'],
        b: ['2026-11-24'],
      }),
    ).toBe('.')
    expect(written(onePrompt('{each x in a}{when b has x}.{end}{end}', '{ a: list, b: list of text }'), { a: ['1', '2'], b: ['1'] })).toBe(
      '.',
    )
  })

  test.each(['{each x in a}{a as unique as count}{end}', '{each x in a}{when t has x}.{end}{end}', '{each x in a}{t as chars 1}{end}'])(
    'that goes through a list or a text for each item ends in a problem: %s',
    (text) => {
      expect(written(onePrompt(text, '{ a: list of text, t: { type: text, default: x } }'), { a: many, t: 'y'.repeat(1_000_000) })).toBe(
        '!steps-over-limit',
      )
    },
  )

  test('of a value that contains itself, or is nested too deep, ends in a problem', () => {
    const self: Record<string, unknown> = { a: 1 }
    self['self'] = self
    let deep: unknown = 1
    for (let i = 0; i < 9000; i++) deep = [deep]
    const twice: unknown[] = [1]
    const shared = Array.from({ length: 60 }, () => 0).reduce<unknown>((item) => [item, item], twice)
    for (const [type, value] of [
      ['record', self],
      ['record', { deep }],
      ['list of record', [self]],
      ['{ type: record, fields: { a: integer } }', self],
      ['table', [self]],
    ] as const)
      expect(written(onePrompt('{r as json}', `{ r: ${type} }`), { r: value })).toBe('!value-too-deep')
    expect(codesOf(onePrompt('{when r is empty}x{end}y', '{ r: record }'), { r: { shared } })).toEqual([])
  })

  test.each(['indented 1000000000', 'number 400', 'json 99', 'words 99999999999'])(
    'with a format whose argument is beyond all measure: %s',
    (format) => {
      const type = format.startsWith('number') ? 'number' : 'text'
      expect(codesOf(onePrompt(`{a as ${format}}`, `{ a: ${type} }`))).toContain('format-argument')
    },
  )

  test('through a format of text takes a file as its text', () => {
    const file = { name: 'a.md', mediaType: 'text/markdown', text: '  Brass. ' }
    expect(written(onePrompt('{g as trimmed}|{g as upper}', '{ g: file }'), { g: file })).toBe('Brass.|  BRASS. ')
  })

  test('with a list of 50,000 unique items is checked once for each', () => {
    expect(codesOf(onePrompt('{a as count}', '{ a: { type: list of text, unique: true } }'), { a: many })).toEqual([])
  })
})

describe('a pattern', () => {
  const library = (pattern: string) => onePrompt('{a}', `{ a: { type: text, pattern: ${JSON.stringify(pattern)} } }`)

  test.each([
    ['(a|a)*b', 'a'.repeat(20_000)],
    ['(a|aa)+b', 'a'.repeat(20_000)],
    ['(a+)+b', 'a'.repeat(20_000)],
    ['(?:a?){200}b', 'a'.repeat(20_000)],
    ['(.*)*x', 'y'.repeat(20_000)],
    ['\\b(a|b|ab)*\\bc', 'ab'.repeat(10_000)],
  ])('that could be divided in many ways is tried in one pass: %s', (pattern, text) => {
    expect(written(library(pattern), { a: text })).toBe('!value-bounds')
  })

  test.each([
    ['(?=(a+)+b)a', 'it looks ahead or behind'],
    ['(?<!a)b', 'it looks ahead or behind'],
    ['(a)\\1', 'it refers back'],
    ['(?<y>a)\\k<y>', 'it refers back'],
    ['(a?){20000}', 'it repeats too often'],
    ['((a{50}){50}){50}', 'it repeats too often'],
    ['(', 'unterminated group'],
    ['('.repeat(500) + ')'.repeat(500), 'nested more than 100 deep'],
  ])('that cannot be tried so is refused when the library opens: %s', (pattern, why) => {
    const [problem] = problemsOf(library(pattern))
    expect([problem!.code, problem!.message]).toEqual(['pattern-refused', expect.stringContaining(why)])
  })

  test.each([
    ['MH-\\d{4}', ['MH-0007'], ['MH-7', 'XMH-0007', 'MH-00071']],
    ['[\\p{L} ]+', ['Straße über', 'lamp'], ['lamp 1', '']],
    ['a|b*', ['a', '', 'bbb'], ['ab', 'c']],
    ['^x$', ['x'], ['xx', '']],
    ['\\bis\\b.*', ['is it'], ['isit']],
    ['.{2,3}', ['ab', 'abc', '😀x'], ['a', 'abcd']],
  ])('matches what the engine’s own expression matches: %s', (pattern, yes, no) => {
    for (const text of [...yes, ...no]) expect([text, yes.includes(text)]).toEqual([text, new RegExp(`^(?:${pattern})$`, 'u').test(text)])
    for (const text of yes.filter((text) => text !== '')) expect(written(library(pattern), { a: text })).toBe(text)
    for (const text of no.filter((text) => text !== '')) expect(written(library(pattern), { a: text })).toBe('!value-bounds')
  })
})
