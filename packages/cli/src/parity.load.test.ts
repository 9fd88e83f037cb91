import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { COMMAND } from '../../../test/command.js'
import { times } from '../../../test/house.js'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-parity-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

beforeAll(() => {
  mkdirSync(pathOf('library/prompts'), { recursive: true })
  mkdirSync(pathOf('library/envelopes'), { recursive: true })
  const variables = 'variables: { number: text, title: text, made: { type: integer, optional: true } }'
  writeFileSync(pathOf('library/prompts/p.yaml'), `title: P\n${variables}\nturns: [{ user: '{number}: {title}, {made or "nothing"}' }]\n`)
  writeFileSync(pathOf('library/envelopes/e.yaml'), 'title: E\nline: { id: "{record.id}", talk: "{dialogue}" }\n')
})

/** Enough rows for several blocks of 128 kB. */
const ROWS = 12_000
const title = (i: number) => `Lantern ${i}, brass and glass é`
const csv = (change: (row: string, i: number) => string = (row) => row, end = '\n') =>
  ['number,title,made', ...Array.from({ length: ROWS }, (_, i) => change(`MH-${i},"${title(i)}",18${i % 90}`, i))].join(end) + end
const jsonl = (change: (row: string, i: number) => string = (row) => row) =>
  Array.from(
    { length: ROWS },
    (_, i) => `${change(JSON.stringify({ number: `MH-${i}`, title: title(i), made: 1800 + (i % 90) }), i)}\n`,
  ).join('')
const only = (at_: number, other: string) => (row: string, i: number) => (i === at_ ? other : row)
const LATE = ROWS - 900

const TABLES: Readonly<Record<string, readonly [file: string, content: string | Buffer, ...options: string[]]>> = {
  'invalid cells, blank lines, short and long rows': [
    'cells.csv',
    csv((row, i) =>
      i === LATE ? 'MH-x,Lamp,soon' : i === 700 ? `\n  \n${row}` : i === 800 ? 'MH-800' : i === 900 ? `${row},more,and more` : row,
    ),
  ],
  'names that came before': ['names.csv', csv((row, i) => (i % 4000 === 3999 ? row.replace(/^MH-\d+/, 'MH-7') : row))],
  'line ends and quotes of every kind': [
    'ends.csv',
    csv((row, i) => (i % 500 === 0 ? row.replace('brass', 'br""ass\r\nand\rsteel') : i % 501 === 0 ? `${row}   ` : row), '\r\n'),
  ],
  'a quote that is never closed': [
    'open.csv',
    csv((row, i) => (i === LATE ? 'MH-x,"never closed,1890' : i > LATE ? `MH-${i},Lamp,1890` : row)),
  ],
  'a row longer than any row is': ['long.csv', `${csv()}x,"${'y'.repeat(17 << 20)}",1\n${csv()}`],
  'Windows-1252': [
    'latin.csv',
    Buffer.from(
      csv((row, i) => (i < LATE ? row.replace('é', 'e') : row)),
      'latin1',
    ),
  ],
  'two encodings': ['two.csv', Buffer.concat([Buffer.from(csv()), Buffer.from('MH-x,K\xfcche,1\nMH-y,b,2\n', 'latin1')])],
  'two bytes a character': ['wide.csv', Buffer.from(`\uFEFF${csv()}`, 'utf16le')],
  zeros: ['zeros.csv', Buffer.concat([Buffer.from([80, 75, 3, 4, 0, 0]), Buffer.from(csv())])],
  'a heading alone': ['heading.csv', 'number,title,made\n'],
  'nothing at all': ['empty.csv', ''],
  'a column that is missing': ['column.csv', csv().replace('number,title', 'number,name')],
  tabs: ['tabs.tsv', csv((row, i) => (i === LATE ? 'MH-x,Lamp,soon' : row)).replaceAll(/,(?! )/g, '\t')],
  'lines that are no JSON': [
    'bad.jsonl',
    jsonl((row, i) => (i === LATE ? '{"number": "MH-x", "title": }' : i === 50 ? `\n   \n${row}` : row)),
  ],
  'lines that are no records': ['none.jsonl', jsonl((row, i) => (i === LATE ? '[1, 2]' : i === 60 ? row.replace('{', '{\r') : row))],
  'lines that are nested too deep': ['deep.jsonl', jsonl(only(LATE, `{"number":"MH-x","title":${'['.repeat(300)}${']'.repeat(300)}}`))],
  'keys that come late': [
    'late.jsonl',
    jsonl((row, i) => (i === 3 ? '{"number":"MH-x","made":"soon"}' : i >= LATE ? row.replace('}', ',"donor":"Ines"}') : row)),
  ],
  'a line longer than any line is': ['longest.jsonl', `${jsonl()}{"number":"${'y'.repeat(17 << 20)}"}\n${jsonl()}`],
  'an end after so many': ['take.csv', csv(only(5000, 'MH-x,Lamp,soon')), '--take', '9000'],
  'a condition': ['keep.csv', csv(only(LATE, 'MH-x,Lamp,soon')), '--keep', 'made > 1850'],
  'an envelope, and tokens': ['envelope.jsonl', jsonl(only(LATE, '{"number":"MH-x"}')), '--envelope', 'e', '--tokens'],
  'a table as output': ['table.jsonl', jsonl((row, i) => (i >= LATE ? row.replace('}', ',"donor":"Ines"}') : row)), '--to', 'out.csv'],
  'a sample': ['sample.csv', csv(), '--sample', '40', '--seed', '3'],
  'a list, which is read in one go': ['list.json', `[${jsonl().trim().replaceAll('\n', ',')}]`],
}

/** The exit code, and what is reported. */
const EXPECTED: Readonly<Record<string, readonly [code: number, says: string]>> = {
  'invalid cells, blank lines, short and long rows': [3, 'rejected MH-x: row 11101, column "made": "soon" is not a whole number'],
  'names that came before': [3, '11,997 records rendered, 3 records rejected'],
  'line ends and quotes of every kind': [0, '12,000 records rendered'],
  'a quote that is never closed': [1, 'a quote opened in row 11101 is never closed [quote-open]'],
  'a row longer than any row is': [1, 'row 12001 is longer than 16 MB [row-too-long]'],
  'Windows-1252': [0, 'latin.csv is not UTF-8 and is read as Windows-1252 [encoding-guessed]'],
  'two encodings': [1, 'two.csv is not UTF-8 text [not-text]'],
  'two bytes a character': [0, '12,000 records rendered'],
  zeros: [1, 'zeros.csv is not UTF-8 text [not-text]'],
  'a heading alone': [0, '0 records rendered'],
  'nothing at all': [1, 'empty.csv has no headings and no rows [table-empty]'],
  'a column that is missing': [1, 'no column for "title" [heading-missing]'],
  tabs: [3, 'row 11101, column "made": "soon" is not a whole number'],
  'lines that are no JSON': [3, 'rejected 11101: line 11103 is not valid JSON'],
  'lines that are no records': [3, 'rejected 11101: row 11101 is not a record'],
  'lines that are nested too deep': [3, 'rejected 11101: row 11101 is nested more than 100 deep'],
  'keys that come late': [3, 'rejected MH-x: row 4, column "title" is empty'],
  'a line longer than any line is': [1, 'line 12001 of '],
  'an end after so many': [3, '9,000 records rendered, 1 record rejected'],
  'a condition': [3, '5,187 records rendered, 1 record rejected'],
  'an envelope, and tokens': [3, '11,999 records rendered, 1 record rejected, 213,982 tokens'],
  'a table as output': [0, 'published.csv'],
  'a sample': [0, '40 records rendered'],
  'a list, which is read in one go': [0, '12,000 records rendered'],
}

/** A few of them in the tests, on one thread and on two; all of them in the soak, on three as well. */
const FEW = ['names that came before', 'a quote that is never closed', 'lines that are no JSON']
const CASES = Object.keys(TABLES).filter((name) => times(0, 1) === 1 || FEW.includes(name))
const THREADS = times(2, 3) === 3 ? [1, 2, 3] : [1, 2]

interface Ran {
  readonly code: number | null
  readonly err: string
  readonly files: Readonly<Record<string, string>>
}

async function run(table: string, options: readonly string[], workers: number): Promise<Ran> {
  const runs = pathOf(`runs-${table}-${workers}`)
  const placed = options.map((option) => (option === 'out.csv' ? join(runs, 'published.csv') : option))
  const words = ['run', pathOf('library'), 'p', '--records', pathOf(table), '--runs', runs, '--workers', String(workers), ...placed]
  const child = spawn(process.execPath, [COMMAND, ...words], { env: { ...process.env, NO_COLOR: '1' } })
  let err = ''
  child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()))
  const code = await new Promise<number | null>((resolve) => child.on('close', resolve))
  const files: Record<string, string> = {}
  for (const name of existsSync(runs) ? readdirSync(runs, { recursive: true, encoding: 'utf8' }).sort() : []) {
    const path = join(runs, name)
    if (statSync(path).isFile()) files[name] = comparable(name, readFileSync(path, 'utf8'), runs)
  }
  rmSync(runs, { recursive: true, force: true })
  // Paths are shown from where the command was started.
  return { code, err: err.replace(/\S*runs-[\w.]+-\d/g, 'RUNS'), files }
}

/** A file without what differs from run to run: times, places, and the number of threads. */
function comparable(name: string, text: string, runs: string): string {
  const plain = text.replaceAll(runs, 'RUNS')
  if (name.includes('report')) return plain.replace(/started.*|in [\d.]+ seconds/g, '').replace(/<dt>started<\/dt><dd>[^<]*/, '')
  if (!/run\.json$|checkpoint\.json$/.test(name)) return plain
  return plain.replace(/"(?:seconds|started|ended|workers|changed)": ?[^,}]*/g, '')
}

test.each(CASES)('one thread and several make the same of %s', async (name) => {
  const [table, content, ...options] = TABLES[name] ?? ['', '']
  const [code, message] = EXPECTED[name] ?? []
  writeFileSync(pathOf(table), content)
  const [single, ...others] = await Promise.all(THREADS.map((threads) => run(table, options, threads)))
  expect([single?.code, single?.err]).toEqual([code, expect.stringContaining(message ?? '')])
  for (const other of others) {
    expect([other.code, other.err]).toEqual([single?.code, single?.err])
    expect(Object.keys(other.files)).toEqual(Object.keys(single?.files ?? {}))
    for (const [file, text] of Object.entries(single?.files ?? {})) {
      // Megabytes of differing lines are of no help to anyone.
      if (other.files[file] !== text) expect([file, firstDifference(other.files[file] ?? '', text)]).toEqual([file, ['', '']])
    }
  }
})

function firstDifference(text: string, other: string): [string, string] {
  let i = 0
  while (i < text.length && text[i] === other[i]) i++
  return [text.slice(Math.max(0, i - 80), i + 120), other.slice(Math.max(0, i - 80), i + 120)]
}
