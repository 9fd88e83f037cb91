import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { libraryFrom, ProblemError, type Problem } from 'dunelight'
import { parseText, printText, Source, tokensOf } from 'dunelight/parts'
import { onePrompt } from '../../../../test/support.js'
import { times } from '../../../../test/house.js'

function read(text: string) {
  const problems: Problem[] = []
  const tree = parseText(new Source('text', text), (p) => problems.push(p))
  return { tree, problems }
}

/** Pieces of the language in any order: far more often near something readable than any letters would be. */
const piece = fc.constantFrom(
  ...[
    '{',
    '}',
    '{a',
    '{a}',
    '{a.b."c d".-1}',
    '{a or "x" as upper}',
    '{when a}',
    '{when a is (1',
    '{otherwise}',
    '{otherwise when b}',
    '{instead}',
    '{end}',
    '{end when}',
    '{each x, n in l joined ", "}',
    '{vary}',
    '{use s with a = 1, b = c}',
  ],
  ...[
    '{aside',
    '{untouched}',
    '~ when a',
    '~ each x in l keep x > 2',
    '~ otherwise',
    '~ end',
    '~ vary',
    '~ instead',
    '~ untouched',
    '~ use s/{a}',
    '~ whne',
    '\\~ end',
    '\\{a}',
    '\\\\{a}',
    '\\',
    '"',
    "'",
    '\\"',
    '~',
    ' ',
    '  ',
    '\t',
  ],
  ...[
    '\n',
    '\r\n',
    '\r',
    'word',
    '|',
    '> - ',
    '\u202E',
    '\uFEFF',
    'é',
    '日本',
    '👩\u200D💻',
    'and',
    'or',
    'not',
    'is empty',
    '(',
    ')',
    ',',
    '=',
    '<=',
    '1.5',
    'as',
    'in',
    'with',
  ],
)
const anyText = fc.oneof(
  { weight: 4, arbitrary: fc.array(piece, { maxLength: 40 }).map((pieces) => pieces.join('')) },
  { weight: 1, arbitrary: fc.string({ unit: 'binary', maxLength: 60 }) },
)

describe('any text', () => {
  test('is read or gives problems, and is printed byte for byte', () => {
    fc.assert(
      fc.property(anyText, (text) => {
        const { tree, problems } = read(text)
        expect(printText(tree)).toBe(text)
        for (const p of problems) {
          expect(p.span!.start).toBeLessThanOrEqual(p.span!.end)
          expect(p.span!.end).toBeLessThanOrEqual(text.length)
          expect(p.place!.line).toBeGreaterThan(0)
        }
      }),
      { numRuns: times(400, 3000) },
    )
  })

  test('gives tokens in order, without overlap', () => {
    fc.assert(
      fc.property(anyText, (text) => {
        let position = 0
        for (const { span } of tokensOf(read(text).tree)) {
          expect(span.start).toBeGreaterThanOrEqual(position)
          expect(span.end).toBeGreaterThan(span.start)
          position = span.end
        }
        expect(position).toBeLessThanOrEqual(text.length)
      }),
      { numRuns: times(400, 1000) },
    )
  })

  test('makes a library that renders or reports problems, with any values', () => {
    const value = fc.oneof(
      fc.anything({ withBigInt: true, withDate: true, withNullPrototype: true, maxDepth: 3 }),
      fc.string(),
      fc.constantFrom<unknown>(['a', null], { b: { 'c d': [1] } }, Number.NaN, -0),
    )
    fc.assert(
      fc.property(anyText, value, value, (text, a, l) => {
        const library = libraryFrom(
          onePrompt(text.replace(/[^\S\n]+$/gm, ''), '{ a: { type: record, optional: true }, l: { type: list of text, optional: true } }', {
            'snippets/s.md': 'snippet',
          }),
        )
        try {
          const { turns } = library.prompt('p').render({ a, l }, { origins: true })
          for (const turn of turns) expect(turn.origins.at(-1)?.end).toBe(turn.text.length)
        } catch (fault) {
          if (!(fault instanceof ProblemError)) throw fault
          expect(fault.problems.length).toBeGreaterThan(0)
        }
      }),
      { numRuns: times(500, 1500) },
    )
  })

  test.each([
    '{',
    '{a',
    '{a ',
    '{when a}',
    '{end}',
    '{a or ',
    '\\',
    '\\{a}',
    '~ when a\n',
    '~ end\n',
    '~ untouched\n',
    '"',
    '{a as x "',
    '{when (',
    '{each x in l}',
    '  ',
    '\n',
    '{aside ',
    '{use a with b = "',
    '\u202E',
    '</note',
    '&lt;',
  ])('of %j takes time in proportion to its length', (unit) => {
    /** Milliseconds of processor time; other programs of a busy machine add nothing. */
    const time = (length: number) => {
      const text = unit.repeat(Math.ceil(length / unit.length))
      const start = process.cpuUsage()
      const { problems } = read(text)
      expect(problems.length).toBeLessThanOrEqual(text.length)
      const { user, system } = process.cpuUsage(start)
      return (user + system) / 1000
    }
    time(5_000)
    // Eight times the length: a quadratic parser would take sixty-four times as long. A pause for garbage is not in every attempt.
    const isLinear = () => time(16_000) < Math.max(time(2_000), 2) * 24 + 100
    expect([1, 2, 3, 4, 5].some(isLinear)).toBe(true)
  })
})

describe('nesting', () => {
  test('of blocks and parentheses goes 100 deep, and is a problem beyond', () => {
    const nested = (n: number) => read(`${'{when a}'.repeat(n)}x${'{end}'.repeat(n)}`).problems.map((p) => p.code)
    expect(nested(100)).toEqual([])
    expect(nested(101)).toEqual(['nesting-too-deep'])
    expect(nested(50_000)).toEqual(['nesting-too-deep'])
    const brackets = (n: number) => read(`{when ${'('.repeat(n)}a${')'.repeat(n)}}x{end}`).problems.map((p) => p.code)
    expect(brackets(100)).toEqual([])
    expect(brackets(60_000)).toContain('nesting-too-deep')
  })
})

describe('recovery', () => {
  test('goes on behind every fault', () => {
    const text = 'a {b c} {d} {when } {e as}\n~ when\n{f}\n~ end\n~ nothing\n{g.} {"x": 1} {h or}'
    expect(read(text).problems.map((p) => [p.code, p.place?.line])).toEqual([
      ['slot-unreadable', 1],
      ['directive-unreadable', 1],
      ['slot-unreadable', 1],
      ['directive-unreadable', 2],
      ['directive-unknown', 5],
      ['slot-unreadable', 6],
      ['slot-unreadable', 6],
      ['end-missing', 1],
    ])
  })

  test('reports what was expected, and after which words', () => {
    const message = (text: string) => read(text).problems[0]?.message
    expect(message('{item name}')).toBe('expected "}", "as" or "or" after "item"')
    expect(message('{item as}')).toBe('expected a format after "item as"')
    expect(message('{item."a}')).toBe('expected a closing " after "item."a}"')
    expect(message('~ each x of l\n~ end')).toBe('expected "," or "in" after "each x" in "each"')
    expect(message('~ use a with b 1')).toBe('expected "=" after "use a with b" in "use"')
    expect(message('~ when a is\n~ end')).toBe('expected a name or a literal after "when a is" in "when"')
  })
})
