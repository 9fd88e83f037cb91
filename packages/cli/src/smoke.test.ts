import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { parquetWriteBuffer } from 'hyparquet-writer'
import initSqlite from 'sql.js'
import writeSheet from 'write-excel-file/node'
import { COMMAND, dunelight, dunelightFed } from '../../../test/command.js'

// The command as it is built: what a bundle leaves out or moves is missing only there.

const folder = mkdtempSync(join(tmpdir(), 'dunelight-smoke-'))
const pathOf = (name: string) => join(folder, name)
const ROWS = [
  { title: 'Storm lantern', made: 1890, serial: '9007199254740993' },
  { title: 'Net needle, bone', made: 1744, serial: '12' },
]

beforeAll(async () => {
  cpSync('demo/marram-house', pathOf('house'), { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
  mkdirSync(pathOf('lib/prompts'), { recursive: true })
  const prompt = 'title: P\nvariables: { title: text, made: integer, serial: integer }\nturns: [{ user: "{title} {made} {serial}" }]\n'
  writeFileSync(pathOf('lib/prompts/p.yaml'), prompt)
  const json = ROWS.map((row) => `{"title": ${JSON.stringify(row.title)}, "made": ${row.made}, "serial": ${row.serial}}`)
  writeFileSync(pathOf('o.csv'), `Title,Made,Serial\nStorm lantern,1890,9007199254740993\n"Net needle, bone",1744,12\n`)
  writeFileSync(pathOf('o.tsv'), `Title\tMade\tSerial\nStorm lantern\t1890\t9007199254740993\nNet needle, bone\t1744\t12\n`)
  writeFileSync(pathOf('o.jsonl'), `${json.join('\n')}\n`)
  writeFileSync(pathOf('o.json'), `[${json.join(',')}]`)
  writeFileSync(pathOf('o.yaml'), json.map((row) => `- ${row}\n`).join(''))
  const cells = [['Title', 'Made', 'Serial'], ...ROWS.map((row) => [row.title, row.made, row.serial])]
  writeFileSync(pathOf('o.xlsx'), await writeSheet(cells as never).toBuffer())
  const columnData = [
    { name: 'title', data: ROWS.map((row) => row.title), type: 'STRING' as const },
    { name: 'made', data: ROWS.map((row) => row.made), type: 'INT32' as const },
    { name: 'serial', data: ROWS.map((row) => BigInt(row.serial)), type: 'INT64' as const },
  ]
  writeFileSync(pathOf('o.parquet'), Buffer.from(parquetWriteBuffer({ columnData })))
  const { Database } = await initSqlite()
  const database = new Database()
  database.run('CREATE TABLE objects (title TEXT, made INTEGER, serial INTEGER)')
  for (const row of ROWS) database.run(`INSERT INTO objects VALUES ('${row.title}', ${row.made}, ${row.serial})`)
  writeFileSync(pathOf('o.sqlite'), database.export())
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const TURNS = ['Storm lantern 1890 9007199254740993', 'Net needle, bone 1744 12']
const textsIn = (out: string) =>
  out
    .trim()
    .split('\n')
    .map((line) => (JSON.parse(line) as { turns: { text: string }[] }).turns[0]!.text)

describe('the built command', () => {
  test.each(['csv', 'tsv', 'jsonl', 'json', 'yaml', 'xlsx', 'parquet', 'sqlite'])(
    'reads a table in %s, large numbers digit for digit',
    (format) => {
      const { code, out, err } = dunelight('render', pathOf('lib'), 'p', '--records', pathOf(`o.${format}`))
      expect([code, err]).toEqual([0, '2 records rendered\n'])
      expect(textsIn(out)).toEqual(TURNS)
    },
  )

  test('reads a table from standard input', () => {
    expect(textsIn(dunelightFed(readFileSync(pathOf('o.csv'), 'utf8'), 'render', pathOf('lib'), 'p', '--records', '-').out)).toEqual(TURNS)
  })

  test.each(['jsonl', 'csv', 'tsv', 'xlsx', 'parquet'])('writes a run to %s, which it reads again', (format) => {
    const to = pathOf(`out.${format}`)
    const ran = dunelight('run', pathOf('lib'), 'p', '--records', pathOf('o.csv'), '--to', to)
    expect([ran.code, ran.err]).toEqual([0, expect.stringContaining('2 records rendered')])
    const repeated = dunelight('fit', pathOf('lib'), 'p', '--records', to)
    // JSON Lines have only the turns, in which no variable has a column.
    expect([repeated.code, repeated.err]).toEqual([format === 'jsonl' ? 1 : 0, ''])
  })

  test.each(['md', 'html', 'docx'])('writes documents as %s', (ending) => {
    const [records, replies] = [pathOf('house/data/loans.jsonl'), pathOf('house/data/replies/loan-letters.jsonl')]
    const to = pathOf(`letters-${ending}`)
    const { err } = dunelight(
      'read',
      pathOf('house'),
      'loan/letter',
      '--records',
      records,
      '--replies',
      replies,
      '--documents',
      to,
      '--as',
      ending,
    )
    expect(err).not.toContain('bug')
    expect(readdirSync(to).filter((name) => name.endsWith(ending)).length).toBeGreaterThan(0)
  })

  test('has help for every command, and each runs', () => {
    const { out } = dunelight('--help')
    const names = [...out.matchAll(/^ {2}([a-z-]+)(?:\||\s)/gm)].map((match) => match[1]!).filter((name) => name !== 'help')
    expect(names.length).toBeGreaterThan(15)
    for (const name of names) expect([name, dunelight(name, '--help').code]).toEqual([name, 0])
    const house = pathOf('house')
    const objects = `${house}/data/objects.csv`
    const calls = [
      ['check', house],
      ['list', house],
      ['show', house, 'label/write', '--records', objects, '--record', 'MH-0007'],
      ['fit', house, 'label/write', '--records', objects],
      ['graph', house, '--to', pathOf('graph.html')],
      ['examples', house, 'condition-notes'],
      ['types', house],
      ['schema', house, 'label/write'],
      ['file-schemas'],
      ['sample', house, 'survey/grade'],
      ['ask', house, 'survey/grade', '--records', objects, '--record', 'MH-0007', '--model', 'mock'],
      ['ask', house, 'survey/grade', '--records', objects, '--take', '3', '--model', 'mock'],
      ['runs', house],
      ['review', `${house}/runs/survey-grade-1`],
    ]
    for (const call of calls) {
      const { code, err } = dunelight(...call)
      expect([call.join(' '), code === 0 || code === 3 ? '' : err]).toEqual([call.join(' '), ''])
    }
  })

  test.each([
    ['open', ['--port', '0', '--no-browser']],
    ['mock', ['--port', '0']],
  ])('serves until it is interrupted: %s', async (name, flags) => {
    const child = spawn(process.execPath, [COMMAND, name, pathOf('house'), ...flags])
    let err = ''
    child.stderr.on('data', (text: Buffer) => (err += text.toString()))
    const [line] = (await Promise.race([once(child.stdout, 'data'), once(child, 'close')])) as [Buffer | number | null]
    expect([err.includes('bug'), String(line)]).toEqual([false, expect.stringContaining('http://127.0.0.1:')])
    child.kill('SIGTERM')
    if (child.exitCode === null) await once(child, 'close')
  })

  test.each(['render', 'list', 'check'])('says in one sentence that %s cannot write its output', (name) => {
    const words = name === 'render' ? [pathOf('lib'), 'p', '--records', pathOf('o.csv')] : [pathOf('lib')]
    const { status, stderr } = spawnSync('sh', ['-c', `"${process.execPath}" ${COMMAND} ${name} ${words.join(' ')} > /dev/full`], {
      encoding: 'utf8',
    })
    expect([status, stderr]).toEqual([1, expect.stringContaining('cannot write the output: the disk is full')])
  })

  test('waits for a named pipe with a word, and reads it', async () => {
    spawnSync('mkfifo', [pathOf('pipe')])
    const script = `"${process.execPath}" ${COMMAND} render ${pathOf('lib')} p --records ${pathOf('pipe')} & sleep 1; cat ${pathOf('o.csv')} > ${pathOf('pipe')}; wait $!`
    const { stdout, stderr } = spawnSync('sh', ['-c', script], { encoding: 'utf8' })
    expect(stderr).toContain('waiting for a program to write to the pipe')
    expect(stderr).toContain('[pipe-waits]')
    expect(textsIn(stdout)).toEqual(TURNS)
    await Promise.resolve()
  })
})
