import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { ProblemError, type Problem } from 'dunelight'
import { byteText } from '@dunelight/node/host'
import { Misread, readTextTable, type TextFormat } from './index.js'

type Content = string | Uint8Array

/** The bytes in pieces of some length, as a stream of the browser or as an iterable. */
function pieces(content: Content, size = 1 << 16): AsyncIterable<Uint8Array> {
  const bytes = typeof content === 'string' ? new TextEncoder().encode(content) : content
  return (async function* () {
    await Promise.resolve()
    for (let position = 0; position < bytes.length; position += size) yield bytes.slice(position, position + size)
  })()
}

async function read(content: Content, format: TextFormat = 'csv', size?: number, fast = true) {
  const notices: Problem[] = []
  const rows: unknown[] = []
  let headings: readonly string[] = []
  const options = { name: 'the table', notice: (p: Problem) => void notices.push(p), ...(fast && { byteText }) }
  for await (const chunk of readTextTable(pieces(content, size), format, options)) {
    headings = chunk.headings
    rows.push(...chunk.rows.map((row) => (row instanceof Misread ? [row.problem.code, row.problem.message] : row)))
  }
  return { headings, rows, notices: notices.map((p) => p.code) }
}

async function fault(content: Content, format: TextFormat = 'csv'): Promise<string> {
  try {
    await read(content, format)
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems.map((p) => `${p.code}: ${p.message}`).join('; ')
    throw fault
  }
  return 'none'
}

describe('comma separated text', () => {
  test.each<[string, string, string[], string[][]]>([
    ['quotes, commas, line breaks and missing cells', 'a,b,c\n"x, ""y""\nz",,3\n', ['a', 'b', 'c'], [['x, "y"\nz', '', '3']]],
    [
      'line ends of any kind, a mark at the start',
      '\uFEFFa,b\r\n1,"2\r\n3"\r\n4,5\r6,7',
      ['a', 'b'],
      [
        ['1', '2\r\n3'],
        ['4', '5'],
        ['6', '7'],
      ],
    ],
    ['semicolons', 'a;b\n1,5;2\n', ['a', 'b'], [['1,5', '2']]],
    ['tabs', 'a\tb\n1\t2\n', ['a', 'b'], [['1', '2']]],
    ['bars', 'a|b\n1|2\n', ['a', 'b'], [['1', '2']]],
    ['blank lines', 'a,b\n\n1,2\n   \n\n', ['a', 'b'], [['1', '2']]],
    ['no line end at the end', 'a\n1', ['a'], [['1']]],
    ['a heading alone', 'a,b\n', ['a', 'b'], []],
  ])('with %s', async (_what, content, headings, rows) => {
    expect(await read(content)).toEqual({ headings, rows, notices: [] })
  })

  test('gives the same rows wherever the text is cut, with the platform’s help or without', async () => {
    const cell = fc.string({ unit: fc.constantFrom('a', 'ä', '😀', '"', ',', '\n', '\r', ' ', ';'), maxLength: 6 })
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 5 }),
        fc.integer({ min: 1, max: 40 }),
        fc.boolean(),
        async (pairs, size, fast) => {
          const rows = pairs.map(([a, b]) => [`x${a}`, b])
          const quote = (text: string) => `"${text.replaceAll('"', '""')}"`
          const text = [['h', 'b'], ...rows].map((row) => row.map(quote).join(',')).join('\r\n')
          expect((await read(text, 'csv', size, fast)).rows).toEqual(rows)
        },
      ),
      { numRuns: 150 },
    )
  })
})

describe('the encoding', () => {
  const latin = Buffer.from('Titel,Ort\nKrüge,Küste\n', 'latin1')
  const wide = (text: string) => Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(text, 'utf16le')])

  test.each([true, false])('is told, and said where it is not UTF-8 (%s)', async (fast) => {
    expect(await read(latin, 'csv', undefined, fast)).toEqual({
      headings: ['Titel', 'Ort'],
      rows: [['Krüge', 'Küste']],
      notices: ['encoding-guessed'],
    })
    expect(await read(wide('a,b\nü,€\n'), 'csv', 3, fast)).toEqual({ headings: ['a', 'b'], rows: [['ü', '€']], notices: [] })
    expect((await read('a\n€ “quay”\n', 'csv', 2, fast)).rows).toEqual([['€ “quay”']])
  })

  test('goes on as Windows-1252 from where UTF-8 ends, if nothing before was more than ASCII', async () => {
    const late = Buffer.concat([Buffer.from(`a,b\n${'x,y\n'.repeat(50)}`), Buffer.from('\xe9,z\n', 'latin1')])
    const { rows, notices } = await read(late, 'csv', 64)
    expect([rows.length, rows.at(-1), notices]).toEqual([51, ['é', 'z'], ['encoding-guessed']])
  })

  test('that is not text, or in two encodings, is refused', async () => {
    expect(await fault(Buffer.from([80, 75, 3, 4, 0, 0, 0, 1]))).toBe('not-text: the table is not UTF-8 text')
    // Two encodings in one file: with either of them, half of it would be wrong.
    const mixed = Buffer.concat([Buffer.from(`a,b\nü,1\n${'x,y\n'.repeat(20_000)}`), Buffer.from('\xe9,z\n', 'latin1')])
    expect(await fault(mixed)).toBe('not-text: the table is not UTF-8 text')
  })
})

describe('records', () => {
  test.each<[TextFormat, string]>([
    ['jsonl', '{"a":1,"b":"x"}\r\n\n{"b":"y","c":[1,2]}'],
    ['json', '[{"a":1,"b":"x"},\n {"b":"y","c":[1,2]}]'],
    ['yaml', '- { a: 1, b: x }\n- { b: y, c: [1, 2] }\n'],
  ])('of %s keep their types; keys that come later are further columns', async (format, text) => {
    const { headings, rows } = await read(text, format, 7)
    expect(headings).toEqual(['a', 'b', 'c'])
    expect(rows.map((row) => JSON.stringify([...(row as unknown[]), null, null].slice(0, 3)))).toEqual(['[1,"x",null]', '[null,"y",[1,2]]'])
  })

  test('that cannot be read are among those that can', async () => {
    const { rows } = await read('{"a":1}\n{"a":\n5\nnot json\n{"a":2}\n', 'jsonl')
    expect(rows).toEqual([
      [1],
      ['line-unreadable', 'line 2 is not valid JSON: it ends before it is closed'],
      ['row-not-record', 'row 3 is not a record'],
      ['line-unreadable', 'line 4 is not valid JSON: it does not start with {'],
      [2],
    ])
  })

  test('in a list are read as they come: the list is never whole', async () => {
    let handed = 0
    const endless = (async function* () {
      await Promise.resolve()
      yield new TextEncoder().encode('[')
      for (; handed < 100_000; handed++) yield new TextEncoder().encode(`${handed === 0 ? '' : ','}{"n":${handed}}`)
    })()
    const first = await readTextTable(endless, 'json', { name: 'x' }).next()
    expect(first.done).toBe(false)
    expect(handed).toBeLessThan(1000)
  })

  test.each<[TextFormat, string, string]>([
    ['json', '[{"a":1},{"a":2', 'file-unreadable: cannot read the table: its list is never closed'],
    ['json', '{"a":1}', 'file-unreadable: cannot read the table: it has no list of records'],
    ['json', '[{"a":1}] [2]', 'file-unreadable: cannot read the table: there is text after the list'],
    ['json', '[{"a":1},}]', 'file-unreadable: cannot read the table: it is not valid JSON: unexpected "}" after item 1'],
    ['json', '[]', 'table-empty: the table has no headings and no rows'],
    ['yaml', 'a: 1', 'file-unreadable: cannot read the table: it has no list of records'],
    ['csv', '', 'table-empty: the table has no headings and no rows'],
    ['csv', 'a,b\n1,"never closed\n2,3\n', 'quote-open: a quote opened in row 1 is never closed'],
    ['csv', `a,b\n1,"${'x'.repeat(17 << 20)}`, 'row-too-long: row 1 is longer than 16 MB'],
    ['jsonl', `"${'x'.repeat(17 << 20)}`, 'line-too-long: line 1 of the table is longer than 16777216 characters'],
  ])('%s: %#', async (format, text, message) => {
    expect(await fault(text, format)).toBe(message)
  })

  test('of a dropped file come by a stream of the browser', async () => {
    const stream = new Blob(['Title;Made\nlamp;1890\n']).stream()
    const result = await readTextTable(stream, 'csv', { name: 'dropped.csv' }).next()
    expect(result.value).toMatchObject({ headings: ['Title', 'Made'], rows: [['lamp', '1890']] })
  })
})
