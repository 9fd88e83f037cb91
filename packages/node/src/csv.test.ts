import { mkdtempSync, rmSync, symlinkSync, writeFileSync, mkdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { PassThrough } from 'node:stream'
import { afterAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { libraryFrom, ProblemError, type Problem } from 'dunelight'
import { openLibrary, readCsv, renderTable, type SetAside } from './index.js'
import { onePrompt } from '../../../test/support.js'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-node-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

function file(name: string, content: string | Buffer): string {
  const path = join(folder, name)
  writeFileSync(path, content)
  return path
}

async function rowsOf(content: string | Buffer): Promise<(readonly string[])[]> {
  const rows: (readonly string[])[] = []
  for await (const chunk of readCsv(file('table.csv', content))) rows.push(...chunk.rows)
  return rows
}

async function problemsOf(run: () => Promise<unknown>): Promise<readonly Problem[]> {
  try {
    await run()
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.problems
    throw fault
  }
  return []
}

describe('a CSV file', () => {
  test.each([
    [
      'quotes, commas, line breaks and missing cells',
      'a,b,c\n"x, ""y""\nz",,3\n',
      [
        ['a', 'b', 'c'],
        ['x, "y"\nz', '', '3'],
      ],
    ],
    [
      'line ends of any kind, a mark at the start',
      '\uFEFFa,b\r\n1,"2\r\n3"\r\n4,5\r6,7',
      [
        ['a', 'b'],
        ['1', '2\n3'],
        ['4', '5'],
        ['6', '7'],
      ],
    ],
    [
      'semicolons',
      'a;b\n1,5;2\n',
      [
        ['a', 'b'],
        ['1,5', '2'],
      ],
    ],
    [
      'tabs',
      'a\tb\n1\t2\n',
      [
        ['a', 'b'],
        ['1', '2'],
      ],
    ],
    [
      'blank lines',
      'a,b\n\n1,2\n   \n\n',
      [
        ['a', 'b'],
        ['1', '2'],
      ],
    ],
    ['no line end at the end', 'a\n1', [['a'], ['1']]],
  ])('with %s', async (_what, content, rows) => {
    expect(await rowsOf(content)).toEqual(rows)
  })

  test('comes out the same wherever it is cut', async () => {
    const cell = fc.string({ unit: fc.constantFrom('a', 'ä', '😀', '"', ',', '\n', '\r', ' ', ';'), maxLength: 6 })
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 5 }),
        fc.integer({ min: 0, max: 66_000 }),
        async (pairs, pad) => {
          // A long first cell moves the rows over the edge of a chunk.
          const rows = [['h'.repeat(pad), 'b'], ...pairs.map(([a, b]) => [`x${a}`, b])]
          const quote = (text: string) => `"${text.replaceAll('"', '""')}"`
          const text = rows.map((row) => row.map(quote).join(',')).join('\r\n')
          const expected = rows.map((row) => row.map((c) => c.replace(/\r\n?/g, '\n')))
          expect(await rowsOf(text)).toEqual(expected)
        },
      ),
      { numRuns: 60 },
    )
  })

  test('that cannot be used says why', async () => {
    const code = async (content: string | Buffer) => (await problemsOf(() => rowsOf(content))).map((p) => p.code)
    expect(await code(Buffer.from('a,b\n1,\xe9\n', 'latin1'))).toEqual(['not-text'])
    expect(await code('a,b\n1,"never closed\n2,3\n')).toEqual(['quote-open'])
    expect((await problemsOf(() => readCsv(join(folder, 'nowhere.csv')).next())).map((p) => p.message)).toEqual([
      `cannot read ${join(folder, 'nowhere.csv')}: there is no such file or folder`,
    ])
    const prompt = libraryFrom(onePrompt('{a}', '{ a: text }')).prompt('p')
    expect(
      (await problemsOf(() => renderTable({ prompt, records: file('empty.csv', ''), to: new PassThrough() }))).map((p) => p.code),
    ).toEqual(['table-empty'])
    expect(
      (await problemsOf(() => renderTable({ prompt, records: file('b.csv', 'b\n1\n'), to: new PassThrough() }))).map((p) => p.code),
    ).toEqual(['heading-missing', 'heading-unused'])
  })
})

describe('a table', () => {
  const prompt = libraryFrom(onePrompt('{a} {n}', '{ a: text, n: integer }')).prompt('p')

  async function run(content: string, more: Partial<Parameters<typeof renderTable>[0]> = {}) {
    const to = new PassThrough()
    let text = ''
    to.on('data', (chunk: Buffer) => (text += chunk.toString()))
    const aside: SetAside[] = []
    const report = await renderTable({ prompt, records: file('t.csv', content), to, onAside: (one) => aside.push(one), ...more })
    return {
      report,
      aside,
      lines: text
        .split('\n')
        .filter(Boolean)
        .map((line) => JSON.parse(line) as unknown),
    }
  }

  test('is rendered row by row, what does not fit set aside', async () => {
    const { report, aside, lines } = await run('a,n\nx,1\n"y\n""z""",two\n,3\nw,4,5\nv,6\n')
    expect(report).toEqual({ rendered: 2, aside: 3, lastRow: 5, interrupted: false })
    expect(lines).toEqual([
      { record: '1', row: 1, prompt: 'p', turns: [{ role: 'user', text: 'x 1' }] },
      { record: '5', row: 5, prompt: 'p', turns: [{ role: 'user', text: 'v 6' }] },
    ])
    expect(aside.map((one) => [one.row, one.problems.map((p) => p.code)])).toEqual([
      [2, ['cell-unfit']],
      [3, ['cell-missing']],
      [4, ['row-ragged']],
    ])
  })

  test('ends after so many, at one record, or when it is interrupted', async () => {
    const content = 'a,n\nx,1\ny,2\nz,3\n'
    expect((await run(content, { take: 2 })).report).toMatchObject({ rendered: 2, lastRow: 2 })
    expect((await run(content, { only: '3' })).lines).toHaveLength(1)
    const stop = new AbortController()
    stop.abort()
    expect((await run(content, { signal: stop.signal })).report).toEqual({ rendered: 0, aside: 0, lastRow: 0, interrupted: true })
  })
})

describe('a library folder', () => {
  test('is read with its subfolders, and never beyond itself', async () => {
    const root = join(folder, 'library')
    mkdirSync(join(root, 'prompts/deep'), { recursive: true })
    mkdirSync(join(root, 'snippets'))
    writeFileSync(join(root, 'prompts/deep/p.yaml'), 'title: T\nturns: [{ user: x }]')
    writeFileSync(join(root, 'prompts/q.yml'), 'title: T')
    writeFileSync(join(root, 'snippets/latin.md'), Buffer.from('caf\xe9', 'latin1'))
    writeFileSync(join(folder, 'outside.md'), 'secret')
    symlinkSync(join(folder, 'outside.md'), join(root, 'snippets/link.md'))
    const library = await openLibrary(root)
    expect(library.promptNames()).toEqual(['deep/p'])
    expect(library.problems.map((p) => p.code).sort()).toEqual(['file-unreadable', 'not-text', 'path-outside'])
  })

  test('that is none says so', async () => {
    const message = async (path: string) => (await problemsOf(() => openLibrary(path))).map((p) => p.message)
    expect(await message(join(folder, 'nowhere'))).toEqual([`cannot read ${join(folder, 'nowhere')}: there is no such file or folder`])
    expect(await message(file('a.txt', ''))).toEqual([`cannot read ${join(folder, 'a.txt')}: it is a file; name the library’s folder`])
    mkdirSync(join(folder, 'bare'))
    expect(await message(join(folder, 'bare'))).toEqual([
      `cannot read ${join(folder, 'bare')}: it holds no library files (prompts/*.yaml and the like)`,
    ])
  })
})
