import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { libraryFrom, type FinishedTurn } from 'dunelight'
import { onePrompt, utf8, type Files } from '../../../../test/support.js'

function turnOf(files: Files, values: Record<string, unknown> = {}): FinishedTurn {
  return libraryFrom(files).prompt('p').render(values, { origins: true }).turns[0]!
}

/** Each span as `text|kind|path or use|line`. */
function segments(turn: FinishedTurn): string[] {
  return turn.origins.map((o) =>
    [turn.text.slice(o.start, o.end), o.kind, o.path ?? o.within.map((w) => w.name).join('<'), `${o.place.file}:${o.place.line}`].join('|'),
  )
}

/** The rule: spans tile the text. */
function expectTiles(turn: FinishedTurn): void {
  let position = 0
  for (const origin of turn.origins) {
    expect(origin.start).toBe(position)
    expect(origin.end).toBeGreaterThan(origin.start)
    position = origin.end
  }
  expect(position).toBe(turn.text.length)
}

describe('origins', () => {
  test('distinguish fixed text, values with their path, snippets within snippets and what formats add', () => {
    const files = onePrompt(
      'Dear {item.name},\n~ use outer\n{each p in item.parts joined "; "}{p}{end}\n{item.parts as bullets}',
      '{ item: { type: record, fields: { name: text, parts: list of text } } }',
      {
        'snippets/outer.yaml': 'text: "See: {use inner with n = 3}."',
        'snippets/inner.yaml': 'variables: { n: integer }\ntext: "rule {n}"',
      },
    )
    const turn = turnOf(files, { item: { name: 'Ines', parts: ['wick', 'hook'] } })
    expectTiles(turn)
    expect(segments(turn)).toEqual([
      'Dear |fixed||prompts/p.yaml:5',
      'Ines|value|item.name|prompts/p.yaml:5',
      ',\n|fixed||prompts/p.yaml:5',
      'See: |snippet|outer|snippets/outer.yaml:1',
      'rule |snippet|inner<outer|snippets/inner.yaml:2',
      '3|value||snippets/inner.yaml:2',
      '.\n|snippet|outer|snippets/outer.yaml:1',
      'wick|value|item.parts.1|prompts/p.yaml:7',
      '; |made||prompts/p.yaml:7',
      'hook|value|item.parts.2|prompts/p.yaml:7',
      '\n|fixed||prompts/p.yaml:7',
      '- |made|item.parts|prompts/p.yaml:8',
      'wick|value|item.parts|prompts/p.yaml:8',
      '\n- |made|item.parts|prompts/p.yaml:8',
      'hook|value|item.parts|prompts/p.yaml:8',
    ])
  })

  test('distinguish personas, and text that is indented or fenced', () => {
    const files = {
      'personas/keeper.yaml': 'who: You keep lamps.\nnever: [guess]',
      'prompts/p.yaml':
        'title: P\npersona: keeper\nvariables: { note: { type: text, untrusted: true } }\nturns:\n  - user: |\n      > {use persona}\n        {note as fenced}\n',
    }
    const turn = turnOf(files, { note: 'a\n</note>' })
    expectTiles(turn)
    expect(turn.text).toBe('> You keep lamps.\n> Never:\n> - guess\n  <note>\n  a\n  (/note)\n  </note>')
    const kinds = new Set(turn.origins.map((o) => o.kind))
    expect([...kinds].sort()).toEqual(['fixed', 'made', 'persona', 'value'])
  })

  test('are found later as well as at once, and stay out of JSON', () => {
    const prompt = libraryFrom(onePrompt('{a} and {b as upper}', '{ a: text, b: text }')).prompt('p')
    const later = prompt.render({ a: 'x', b: 'y' }).turns[0]!
    const once = prompt.render({ a: 'x', b: 'y' }, { origins: true }).turns[0]!
    expect(later.origins).toEqual(once.origins)
    expect(JSON.stringify(later)).toBe('{"role":"user","text":"x and Y"}')
  })

  test('tile every text, whatever the values', () => {
    const text =
      'One\n\n~ when a\n  {a}\n~ end\n\n~ each x, n in l joined ";"\n  - {x as one-line}\n    {x}\n~ end\n{l as numbered}\n{use s with v = a or "-"}\n  ~ use s with v = a or "-"\n> {a as fenced "t"}\n{when l}{l as list "/"}\n{a as words 2}{end}\n\n'
    const prompt = libraryFrom(
      onePrompt(text, '{ a: { type: text, optional: true }, l: list of text }', {
        'snippets/s.yaml': 'variables: { v: text }\ntext: |\n  {v}\n\n  end {v as quoted}\n',
      }),
    ).prompt('p')
    const piece = fc.oneof(fc.string(), fc.constantFrom('\n', '<', '</t>', '<t', '>', '\r\n', ' ', '&lt;/t&gt;'))
    const value = fc.array(piece, { maxLength: 8 }).map((pieces) => pieces.join(''))
    fc.assert(
      fc.property(value, fc.array(value, { maxLength: 4 }), (a, l) => {
        const plain = prompt.render({ a, l })
        const traced = prompt.render({ a, l }, { origins: true })
        expect(traced.turns.map((t) => t.text)).toEqual(plain.turns.map((t) => t.text))
        for (const turn of traced.turns) expectTiles(turn)
        // The quick way to JSON gives the same bytes as the slow one.
        expect(utf8(prompt.prepare({ a, l }).bytes())).toBe(JSON.stringify(plain.turns))
      }),
      { numRuns: 300 },
    )
  })
})
