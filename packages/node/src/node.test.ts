import { mkdtempSync, rmSync, symlinkSync, writeFileSync, mkdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { PassThrough, Writable } from 'node:stream'
import { afterAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { parquetWriteBuffer } from 'hyparquet-writer'
import writeSheets from 'write-excel-file/node'
import { batchModel, libraryFrom, ProblemError, type Problem } from 'dunelight'
import type { Format } from 'dunelight/parts'
import { Batch } from 'dunelight/host'
import { readRecords } from './host.js'
import { openLibrary, readTable, renderTable, tokenCounter, type RejectedRow, type TableSource } from './index.js'
import { onePrompt } from '../../../test/support.js'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-node-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

function file(name: string, content: string | Buffer): string {
  const path = join(folder, name)
  writeFileSync(path, content)
  return path
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

async function tableOf(source: TableSource): Promise<{ headings: readonly string[]; rows: unknown[] }> {
  const rows: unknown[] = []
  let headings: readonly string[] = []
  for await (const chunk of readTable(source)) {
    headings = chunk.headings
    rows.push(...chunk.rows)
  }
  return { headings, rows }
}

describe('typed tables', () => {
  const DAY = new Date('2026-11-23T00:00:00Z')

  test('of a spreadsheet keep numbers, days and yes and no; the sheet is named', async () => {
    const sheets = [
      { sheet: 'Cover', data: [['Marram House', null, null]] },
      {
        sheet: 'Objects',
        data: [
          ['Title', 'Made', 'Seen'],
          ['lamp', 1890, { value: DAY, type: Date, format: 'yyyy-mm-dd' }],
          ['net', null, null],
        ],
      },
      {
        sheet: 'Titled',
        data: [
          ['The register', null, null],
          ['Title', 'Made', 'Seen'],
          ['lamp', 1890, true],
        ],
      },
    ]
    const path = file('o.xlsx', await writeSheets(sheets as never).toBuffer())
    expect(await tableOf({ from: path, sheet: 'Objects' })).toEqual({
      headings: ['Title', 'Made', 'Seen'],
      rows: [
        ['lamp', 1890, DAY],
        ['net', null, null],
      ],
    })
    const stated = async (source: TableSource) => (await problemsOf(() => tableOf(source))).map((p) => [p.code, p.hint])
    expect(await stated({ from: path, sheet: 'objects' })).toEqual([['sheet-unknown', 'did you mean "Objects"?']])
    expect(await stated({ from: path, sheet: 'Titled' })).toEqual([
      ['heading-merged', 'remove the rows above the headings, or save the table on its own sheet'],
    ])
    expect(await stated(file('no.xlsx', 'Title,Made\n'))).toEqual([['file-unreadable', undefined]])
    const prompt = libraryFrom(onePrompt('{t} {m as number} {s}', '{ t: text, m: integer, s: date }')).prompt('p')
    const columns = batchModel({ prompt: 'p', records: { from: 'x' }, columns: { t: 'Title', m: 'Made', s: 'Seen' } })
    const batch = new Batch(prompt, columns, undefined, {}, undefined)
    const records: string[] = []
    for await (const chunk of readRecords(batch, { from: path, sheet: 'Objects' }))
      for (const record of chunk.records)
        records.push(record.prepared?.render().turns[0]!.text ?? record.problems.map((p) => p.message).join('; '))
    expect(records).toEqual(['lamp 1,890 2026-11-23', 'row 2, column "Made" is empty; row 2, column "Seen" is empty'])
  })

  test('of Parquet come a part at a time, whole numbers as numbers', async () => {
    const titles = Array.from({ length: 5000 }, (_, i) => `lamp ${i}`)
    const columnData = [
      { name: 'Title', data: titles, type: 'STRING' as const },
      { name: 'Made', data: titles.map((_, i) => (i % 7 === 0 ? null : BigInt(1800 + (i % 90)))), type: 'INT64' as const, nullable: true },
    ]
    const path = file('o.parquet', Buffer.from(parquetWriteBuffer({ columnData })))
    const { headings, rows } = await tableOf(path)
    expect([headings, rows.length, rows[0], rows[4999]]).toEqual([['Title', 'Made'], 5000, ['lamp 0', null], ['lamp 4999', 1849]])
    expect((await problemsOf(() => tableOf(file('no.parquet', 'PAR0')))).map((p) => p.message)).toEqual([
      `cannot read ${join(folder, 'no.parquet')}: it is not a Parquet file, or it is damaged`,
    ])
  })

  test('of a database are what a query finds', async () => {
    const { Database } = await (await import('sql.js')).default()
    const database = new Database()
    database.run(
      "CREATE TABLE objects (title TEXT, made INTEGER); CREATE TABLE rooms (code TEXT); INSERT INTO objects VALUES ('lamp', 1890), ('net', NULL)",
    )
    const path = file('o.sqlite', Buffer.from(database.export()))
    expect(await tableOf({ from: path, query: 'SELECT made, title FROM objects ORDER BY title DESC' })).toEqual({
      headings: ['made', 'title'],
      rows: [
        [null, 'net'],
        [1890, 'lamp'],
      ],
    })
    const stated = async (query?: string) =>
      (await problemsOf(() => tableOf({ from: path, ...(query !== undefined && { query }) }))).map((p) => p.message)
    expect(await stated()).toEqual([
      `cannot read ${path}: it has several tables (objects, rooms); choose one with a query: SELECT * FROM objects`,
    ])
    expect((await problemsOf(() => tableOf({ from: path, query: 'SELECT x' }))).map((p) => p.code)).toEqual(['query-invalid'])
    expect(await stated('SELECT * FROM object')).toEqual([`invalid query for ${path}: no such table: object`])
    expect(await stated('DELETE FROM objects')).toEqual([`cannot read ${path}: a query must be read-only: start it with SELECT`])
  })

  test('of a program are any records, one after another', async () => {
    async function* some() {
      yield { title: 'lamp', made: 1890 }
      await Promise.resolve()
      yield { title: 'net' }
    }
    expect(await tableOf(some())).toEqual({
      headings: ['title', 'made'],
      rows: [
        ['lamp', 1890],
        ['net', undefined],
      ],
    })
  })

  test('are reported with the reason', async () => {
    const stated = async (source: TableSource) => (await problemsOf(() => tableOf(source))).map((p) => p.message.replace(folder, ''))
    mkdirSync(join(folder, 'a-folder.csv'))
    expect(await stated(join(folder, 'nowhere.csv'))).toEqual(['cannot read /nowhere.csv: no such file or folder'])
    expect(await stated(join(folder, 'a-folder.csv'))).toEqual(['cannot read /a-folder.csv: it is a folder'])
    expect(await stated(file('old.xls', 'x'))).toEqual([
      'cannot read /old.xls: it is a spreadsheet of the older kind; save it as .xlsx or CSV',
    ])
    expect(await stated({ from: file('t.csv', 'a\n'), sheet: 'x' })).toEqual(['cannot read /t.csv: only spreadsheets have sheets'])
    expect((await problemsOf(() => tableOf({ from: 't.csv', format: 'cvs' as never }))).map((p) => [p.code, p.hint])).toEqual([
      ['table-format-unknown', 'did you mean "csv"?'],
    ])
  })
})

describe('tokens', () => {
  test.each(['o200k', 'cl100k'] as const)('are counted by lines, and that is exact (%s)', async (encoding) => {
    const { countTokens } = (await (encoding === 'o200k'
      ? import('gpt-tokenizer/encoding/o200k_base')
      : import('gpt-tokenizer/encoding/cl100k_base'))) as { countTokens: (text: string, options: object) => number }
    const count = await tokenCounter(encoding)
    const unit = fc.constantFrom(
      'a',
      'The',
      ' ',
      '  ',
      '\n',
      '\n\n',
      '\r\n',
      '\t',
      '/',
      '//',
      '\n/',
      '-',
      "'s",
      '’s',
      '1',
      '1890',
      'é',
      '€',
      '漢',
      '😀',
      '.',
      '…',
      '{',
      '"',
      '<|endoftext|>',
      '\u00a0',
      '\u2028',
    )
    fc.assert(
      fc.property(fc.string({ unit, maxLength: 60 }), (text) => {
        expect(count(text)).toBe(countTokens(text, { disallowedSpecial: new Set() }))
      }),
      { numRuns: 3000 },
    )
  })
})

describe('a table', () => {
  const prompt = libraryFrom(onePrompt('{a} {n}', '{ a: text, n: integer }')).prompt('p')

  async function run(content: string, more: Partial<Parameters<typeof renderTable>[0]> = {}) {
    const to = new PassThrough()
    let text = ''
    to.on('data', (chunk: Buffer) => (text += chunk.toString()))
    const rejected: RejectedRow[] = []
    const report = await renderTable({ prompt, records: file('t.csv', content), to, onRejected: (row) => rejected.push(row), ...more })
    return {
      report,
      rejected,
      lines: text
        .split('\n')
        .filter(Boolean)
        .map((line) => JSON.parse(line) as unknown),
    }
  }

  test('is rendered row by row, what does not match the schema is rejected', async () => {
    const { report, rejected, lines } = await run('a,n\nx,1\n"y\n""z""",two\n,3\nw,4,5\nv,6\n')
    expect(report).toEqual({ written: 2, rejected: 3, records: 5, interrupted: false })
    expect(lines).toEqual([
      { record: '1', row: 1, prompt: 'p', turns: [{ role: 'user', text: 'x 1' }] },
      { record: '5', row: 5, prompt: 'p', turns: [{ role: 'user', text: 'v 6' }] },
    ])
    expect(rejected.map((rejectedRow) => [rejectedRow.row, rejectedRow.problems.map((p) => p.code)])).toEqual([
      [2, ['cell-invalid']],
      [3, ['cell-missing']],
      [4, ['row-ragged']],
    ])
  })

  test('ends after so many, at one record, or when it is interrupted', async () => {
    const content = 'a,n\nx,1\ny,2\nz,3\n'
    expect((await run(content, { take: 2 })).report).toMatchObject({ written: 2, records: 2 })
    expect((await run(content, { only: '3' })).lines).toHaveLength(1)
    const stop = new AbortController()
    stop.abort()
    expect((await run(content, { signal: stop.signal })).report).toEqual({ written: 0, rejected: 0, records: 0, interrupted: true })
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
    expect(library.problems.map((p) => p.code).sort()).toEqual(['file-unreadable', 'not-text', 'path-leaves-library'])
  })

  test('is reported where it is not one', async () => {
    const message = async (path: string) => (await problemsOf(() => openLibrary(path))).map((p) => p.message)
    expect(await message(join(folder, 'nowhere'))).toEqual([`cannot read ${join(folder, 'nowhere')}: no such file or folder`])
    expect(await message(file('a.txt', ''))).toEqual([`cannot read ${join(folder, 'a.txt')}: it is a file; name the library’s folder`])
    mkdirSync(join(folder, 'bare'))
    expect(await message(join(folder, 'bare'))).toEqual([
      `cannot read ${join(folder, 'bare')}: it has no library files (such as prompts/*.yaml)`,
    ])
  })
})

test('a record that meets an exception is rejected with "internal error", and costs no other', async () => {
  const broken: Format = {
    name: 'broken',
    about: 'throws for one value',
    takes: 'text',
    parameters: [],
    gives: (type) => type,
    write: (value) => {
      if (value === 'net') throw new RangeError('out of range')
      return value
    },
  }
  const library = libraryFrom(onePrompt('{t as broken}', '{ t: text }'), { formats: [broken] })
  const rejected: RejectedRow[] = []
  const written: Buffer[] = []
  const to = new Writable({
    write: (chunk: Buffer, _, done) => {
      written.push(Buffer.from(chunk))
      done()
    },
  })
  await renderTable({
    prompt: library.prompt('p'),
    records: [{ t: 'lamp' }, { t: 'net' }, { t: 'oar' }],
    to,
    onRejected: (row) => rejected.push(row),
  })
  expect(Buffer.concat(written).toString().trim().split('\n')).toHaveLength(2)
  expect(rejected.map(({ row, problems }) => [row, problems[0]!.code, problems[0]!.message])).toEqual([
    [2, 'internal-error', 'internal error: out of range'],
  ])
  expect(rejected[0]!.problems[0]!.data).toMatchObject({ stack: expect.stringContaining('RangeError') })
})

test.each(['jsonl', 'json', 'yaml', 'records of a program'])(
  'a row nested beyond all measure is rejected, and those after it are read: %s',
  async (kind) => {
    const nested = (depth: number) => `${'['.repeat(depth)}${']'.repeat(depth)}`
    const circle: Record<string, unknown> = { t: 'net' }
    circle['self'] = circle
    const sources: Readonly<Record<string, () => TableSource>> = {
      jsonl: () => file('deep.jsonl', `{"t": "lamp"}\n{"t": ${nested(9000)}}\n{"t": "oar"}\n`),
      json: () => file('deep.json', `[{"t": "lamp"}, {"t": ${nested(9000)}}, {"t": "oar"}]`),
      yaml: () => file('deep.yaml', `- t: lamp\n- t: ${nested(150)}\n- t: oar\n`),
    }
    const prompt = libraryFrom(onePrompt('{t}', '{ t: text }')).prompt('p')
    const rejected: RejectedRow[] = []
    let lines = ''
    const to = new Writable({
      write: (chunk: Buffer, _, done) => {
        lines += chunk.toString()
        done()
      },
    })
    await renderTable({
      prompt,
      records: sources[kind]?.() ?? [{ t: 'lamp' }, circle, { t: 'oar' }],
      to,
      onRejected: (row) => rejected.push(row),
    })
    expect(lines.trim().split('\n')).toHaveLength(2)
    expect(rejected.map(({ row, problems }) => [row, problems[0]!.code])).toEqual([[2, 'row-too-deep']])
  },
)
