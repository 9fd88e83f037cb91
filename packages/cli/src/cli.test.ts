import { spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, mkdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'

const COMMAND = 'packages/cli/bin/dunelight.js'
const LIBRARY = 'demo/marram-house'
const OBJECTS = `${LIBRARY}/data/objects.csv`
const folder = mkdtempSync(join(tmpdir(), 'dunelight-cli-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

beforeAll(() => {
  if (!existsSync('packages/cli/dist/command.js')) throw new Error('the command is not built: npm run build')
  mkdirSync(pathOf('faulty/prompts'), { recursive: true })
  mkdirSync(pathOf('faulty/snippets'))
  writeFileSync(
    pathOf('faulty/prompts/p.yaml'),
    'title: T\nabuot: x\nvariables: { title: text }\nturns:\n  - user: |\n      {titel}\n      ~ use stile\n      {title as uper}\n      ~ whne x\n',
  )
  writeFileSync(pathOf('faulty/snippets/style.md'), 'Plain.')
})

describe('check', () => {
  test('a sound library', () => {
    const fast = dunelight('check', LIBRARY, '--fast')
    expect(fast).toMatchObject({ code: 0, out: `${LIBRARY}: valid · 20 prompts · 0 errors · 0 warnings\n`, err: '' })
    const { code, out, err } = dunelight('check', LIBRARY)
    expect([code, err]).toEqual([0, ''])
    expect(out).toMatch(/4 of the first 180 rows of data\/objects\.csv would be rejected; the first: row 23.*\n[^]*2 remarks\n$/)
  })

  test('five faults in one run, each with its place and the name most likely meant', () => {
    const { code, out, err } = dunelight('check', pathOf('faulty'))
    expect(code).toBe(1)
    expect(err).toBe('')
    for (const part of [
      'p.yaml:2:1',
      '"about"',
      'p.yaml:6:8',
      '"title"',
      'p.yaml:7:13',
      '"style"',
      'p.yaml:8:17',
      '"upper"',
      'p.yaml:9:9',
      '"when"',
      '5 errors',
    ])
      expect(out).toContain(part)
  })

  test('as JSON', () => {
    const { code, out } = dunelight('check', pathOf('faulty'), '--json')
    const { valid, problems } = JSON.parse(out) as { valid: boolean; problems: { code: string; line: number }[] }
    expect([code, valid, problems.filter((p) => p.code === 'name-unknown').map((p) => p.line)]).toEqual([1, false, [6]])
  })
})

describe('schemas', () => {
  test('of the library’s own files, for editors: printed, or a file each, none written over', () => {
    const printed = JSON.parse(dunelight('file-schemas').out) as Record<string, { files: string; schema: object }>
    expect(printed['models']).toMatchObject({ files: 'models.yaml', schema: { required: ['models'] } })
    const { code, out, err } = dunelight('file-schemas', '--to', pathOf('schemas'))
    expect([code, out]).toEqual([0, ''])
    for (const [name, { files, schema }] of Object.entries(printed)) {
      const file = join(pathOf('schemas'), `${name}.schema.json`)
      expect(err).toMatch(new RegExp(`^${files.replaceAll('*', '\\*')} +${file}$`, 'm'))
      expect(JSON.parse(readFileSync(file, 'utf8'))).toEqual(schema)
    }
    writeFileSync(join(pathOf('schemas'), 'models.schema.json'), 'mine')
    rmSync(join(pathOf('schemas'), 'prompt.schema.json'))
    expect(dunelight('file-schemas', '--to', pathOf('schemas'))).toMatchObject({ code: 2, err: expect.stringContaining('exists already') })
    expect(existsSync(join(pathOf('schemas'), 'prompt.schema.json'))).toBe(false)
    expect(dunelight('file-schemas', '--to', pathOf('schemas'), '--overwrite').code).toBe(0)
    expect(JSON.parse(readFileSync(join(pathOf('schemas'), 'models.schema.json'), 'utf8'))).toEqual(printed['models']!.schema)
  })

  test('into a place where a file already is', () => {
    const { code, err } = dunelight('file-schemas', '--to', COMMAND)
    expect([code, err]).toEqual([2, expect.stringContaining('a file of this name is there already')])
  })
})

describe('list and show', () => {
  test('the contents of a library', () => {
    const { code, out } = dunelight('list', LIBRARY)
    expect(code).toBe(0)
    for (const name of ['label/write', 'survey/summary', 'house/style', 'storyteller']) expect(out).toContain(name)
    expect(JSON.parse(dunelight('list', LIBRARY, '--json').out)).toMatchObject({
      title: 'Marram House',
      prompts: expect.arrayContaining([
        expect.objectContaining({ name: 'label/headlines' }),
        expect.objectContaining({ name: 'visitor/answer' }),
      ]) as unknown,
      assemblies: [
        { name: 'loan-dossier', about: 'The dossier of a loan: heading, summary, condition, draft, critique, handling, statement' },
        { name: 'room-guide' },
      ],
    })
  })

  test('what a prompt takes and draws on', () => {
    const { code, out } = dunelight('show', LIBRARY, 'label/write')
    expect(code).toBe(0)
    for (const part of ['survey-note', 'untrusted', 'default "adult"', 'snippet house/style', 'persona registrar', 'model: small'])
      expect(out).toContain(part)
  })

  test('shows the origin of every span of a rendering, without colour', () => {
    const { code, out } = dunelight('show', LIBRARY, 'label/write', '--records', OBJECTS, '--record', 'MH-0128')
    expect(code).toBe(0)
    expect(out).toMatch(/label\/write:\d+ \{item\.title\} .*│ \| Title \| ‹Buoy bell› \|/)
    expect(out).toMatch(/house\/style:\d+ \{words\} .*│ Write at most ‹60› words/)
    // eslint-disable-next-line no-control-regex
    expect(out).not.toMatch(/\u001b/)
  })

  test('prints the spans as JSON: together they are the whole turn', () => {
    const { code, out } = dunelight('show', LIBRARY, 'label/write', '--records', OBJECTS, '--record', 'MH-0002', '--json')
    const { record, turns } = JSON.parse(out) as {
      record: string
      turns: {
        text: string
        origins: { start: number; end: number; kind: string; path?: string; place: { file: string; line: number } }[]
      }[]
    }
    expect([code, record, turns.length]).toEqual([0, 'MH-0002', 2])
    for (const { text, origins } of turns) {
      let position = 0
      for (const { start, end, place } of origins) {
        expect([start, existsSync(join(LIBRARY, place.file)) || place.file.startsWith('the standard layout')]).toEqual([position, true])
        position = end
      }
      expect(position).toBe(text.length)
    }
    expect(turns[1]?.origins.some((o) => o.kind === 'value' && o.path === 'item.title')).toBe(true)
  })

  test('a prompt or record that is not there', () => {
    expect(dunelight('show', LIBRARY, 'label/wirte')).toMatchObject({
      code: 1,
      out: '',
      err: expect.stringContaining('did you mean "label/write"?') as unknown,
    })
    const lost = dunelight('show', LIBRARY, 'label/write', '--records', OBJECTS, '--record', 'MH-9999')
    expect([lost.code, lost.err]).toEqual([1, expect.stringContaining('record-unknown')])
    expect(lost.err).toContain("'record-unknown'".slice(1, -1))
  })
})

describe('render', () => {
  test('every row of the demo: 176 labels, and the 4 rows that do not fit named', () => {
    const { code, out, err } = dunelight('render', LIBRARY, 'label/write', '--records', OBJECTS)
    expect(code).toBe(3)
    const lines = out
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as { record: string; turns: { role: string }[] })
    expect(lines).toHaveLength(176)
    expect(lines.every((line) => line.turns.map((turn) => turn.role).join() === 'system,user')).toBe(true)
    for (const id of ['MH-0023', 'MH-0067', 'MH-0106', 'MH-0174']) {
      expect(err).toContain(`rejected ${id}: row ${Number(id.slice(3))}, column "Made"`)
      expect(lines.some((line) => line.record === id)).toBe(false)
    }
    expect(err).toContain('176 records rendered, 4 records rejected')
  })

  test('to a file, which is not overwritten by accident, with the rejected records in another', () => {
    const args = [
      'render',
      LIBRARY,
      'label/write',
      '--records',
      OBJECTS,
      '--to',
      pathOf('l.jsonl'),
      '--rejected',
      pathOf('rejected.jsonl'),
      '--take',
      '30',
    ]
    expect(dunelight(...args)).toMatchObject({ code: 3, out: '' })
    expect(readFileSync(pathOf('l.jsonl'), 'utf8').trimEnd().split('\n')).toHaveLength(30)
    expect(JSON.parse(readFileSync(pathOf('rejected.jsonl'), 'utf8'))).toMatchObject({
      row: 23,
      record: 'MH-0023',
      problems: [{ code: 'cell-invalid', data: { column: 'Made', cell: 'c. 1890' } }],
    })
    const before = statSync(pathOf('l.jsonl')).mtimeMs
    expect(dunelight(...args)).toMatchObject({ code: 2, err: expect.stringContaining('--overwrite') as unknown })
    expect(statSync(pathOf('l.jsonl')).mtimeMs).toBe(before)
  })

  test('never over the table that it reads, nor over what was there before it has a result', () => {
    const table = pathOf('table.csv')
    writeFileSync(table, readFileSync(OBJECTS))
    const same = dunelight('render', LIBRARY, 'label/write', '--records', table, '--to', table, '--overwrite')
    expect([same.code, same.err]).toEqual([2, expect.stringContaining('would be written over')])
    expect(
      dunelight('render', LIBRARY, 'label/write', '--records', table, '--to', pathOf('x.jsonl'), '--rejected', pathOf('x.jsonl')).code,
    ).toBe(2)
    expect(readFileSync(table, 'utf8')).toBe(readFileSync(OBJECTS, 'utf8'))
    writeFileSync(pathOf('kept.jsonl'), 'earlier\n')
    writeFileSync(pathOf('other.csv'), 'Titel\nx\n')
    expect(
      dunelight('render', LIBRARY, 'label/write', '--records', pathOf('other.csv'), '--to', pathOf('kept.jsonl'), '--overwrite').code,
    ).toBe(1)
    expect(readFileSync(pathOf('kept.jsonl'), 'utf8')).toBe('earlier\n')
    expect(dunelight('render', LIBRARY, 'label/write', '--records', table, '--to', pathOf('no/where.jsonl'))).toMatchObject({
      code: 2,
      err: expect.stringContaining('its folder does not exist') as unknown,
    })
  })

  test('explains how to open other kinds of tables and folders', () => {
    writeFileSync(pathOf('visits.ods'), 'PK\u0003\u0004')
    const { code, err } = dunelight('render', LIBRARY, 'label/write', '--records', pathOf('visits.ods'))
    expect([code, err]).toEqual([1, expect.stringContaining('it is a spreadsheet of another kind; save it as .xlsx or CSV')])
    mkdirSync(pathOf('things/deep'), { recursive: true })
    writeFileSync(pathOf('things/deep/a.json'), '{}')
    expect(dunelight('check', pathOf('things'))).toMatchObject({
      code: 1,
      err: expect.stringContaining('it has no library files') as unknown,
    })
  })

  test('with an attached document, as text or extracted from a PDF', () => {
    const slips = `${LIBRARY}/data/questions.csv`
    for (const guide of ['handling-guide.md', 'handling-guide.pdf']) {
      const { code, out } = dunelight(
        'render',
        LIBRARY,
        'visitor/answer',
        '--records',
        slips,
        '--record',
        'Q-016',
        '--set',
        `guide=${LIBRARY}/data/${guide}`,
      )
      const { turns } = JSON.parse(out) as { turns: { parts?: { name: string; kind: string; text: string }[] }[] }
      expect([code, turns[0]?.parts?.[0]?.name, turns[0]?.parts?.[0]?.kind]).toEqual([0, guide, 'text'])
      expect(turns[0]?.parts?.[0]?.text.replace(/\s+/g, ' ')).toContain('Dogs that can sit are welcome')
    }
    expect(
      dunelight('show', LIBRARY, 'visitor/answer', '--records', slips, '--set', `guide=${LIBRARY}/data/handling-guide.md`).out,
    ).toMatch(/\+ handling-guide\.md as text: text\/markdown, [\d,]+ characters, from guide/)
    expect(dunelight('render', LIBRARY, 'visitor/answer', '--records', slips)).toMatchObject({
      code: 1,
      err: expect.stringContaining('"guide" is missing'),
    })
    expect(dunelight('render', LIBRARY, 'visitor/answer', '--records', slips, '--set', `guide=${LIBRARY}/data/none.md`).err).toContain(
      'no such file',
    )
  })

  test('one set of values, for people and for programs', () => {
    const set = [
      'room.code=D0',
      'room.name=Dairy',
      'room.floor=0',
      'room.light=dim',
      'room.humidity=68',
      'visits=12;30;18',
      'notes=[{"object-no":"MH-1","title":"Churn","note":"gaps","urgent":false}]',
      'since=2026-02-01',
    ].flatMap((text) => ['--set', text])
    const people = dunelight('render', LIBRARY, 'survey/summary', ...set)
    expect([people.code, people.err]).toEqual([0, ''])
    expect(people.out).toContain('It was visited 60 times in 3 weeks: 20 a week,\n12 at the quietest and 30 at the busiest.')
    const { turns } = JSON.parse(dunelight('render', LIBRARY, 'survey/summary', ...set, '--json').out) as { turns: { role: string }[] }
    expect(turns.map((turn) => turn.role)).toEqual(['system', 'user'])
  })

  test('values that are missing, misspelt or of another kind', () => {
    const { code, out, err } = dunelight('render', LIBRARY, 'survey/summary', '--set', 'sinse=2026-01-01', '--set', 'visits=many')
    expect([code, out]).toEqual([1, ''])
    expect(err).toContain('did you mean "since"?')
    expect(err).toContain('"visits" must be a list of which every item is a whole number, not "many"')
  })

  test('all wordings', () => {
    mkdirSync(pathOf('vary/prompts'), { recursive: true })
    writeFileSync(pathOf('vary/prompts/v.yaml'), 'title: V\nturns: [{ user: "{vary}Go{instead}Come{end}." }]')
    expect(
      dunelight('render', pathOf('vary'), 'v', '--wordings', '--json')
        .out.trimEnd()
        .split('\n')
        .map((line) => (JSON.parse(line) as { wording: string }).wording),
    ).toEqual(['1', '2'])
  })

  test('a closed pipe ends it quietly', () => {
    const { stdout, stderr } = spawnSync(
      'sh',
      ['-c', `${process.execPath} ${COMMAND} render ${LIBRARY} label/write --records ${OBJECTS} | head -n 1 | cut -c 1-20`],
      { encoding: 'utf8' },
    )
    expect(stdout).toBe('{"record":"MH-0001",\n')
    expect(stderr).not.toContain('Error')
  })
})

describe('a big render', () => {
  const big = pathOf('big.csv')
  beforeAll(() => {
    const [heading = '', first = ''] = readFileSync(OBJECTS, 'utf8').split('\n')
    writeFileSync(big, `${heading}\n${`${first}\n`.repeat(60_000)}`)
  })

  /** Starts a render, waits until some of it is written, and ends it by a signal. */
  async function ended(signal: NodeJS.Signals, to: string): Promise<{ code: number | null; err: string; text: string }> {
    const child = spawn(process.execPath, [COMMAND, 'render', LIBRARY, 'label/write', '--records', big, '--to', to])
    let err = ''
    child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()))
    const closed = new Promise<number | null>((resolve) => child.on('close', resolve))
    while (!existsSync(to) || statSync(to).size < 300_000) await new Promise((resolve) => setTimeout(resolve, 10))
    child.kill(signal)
    return { code: await closed, err, text: readFileSync(to, 'utf8') }
  }

  test('interrupted, leaves whole lines and reports how far it got', async () => {
    const { code, err, text } = await ended('SIGINT', pathOf('int.jsonl'))
    const lines = text.split('\n')
    expect(lines.pop()).toBe('')
    for (const line of lines) JSON.parse(line)
    expect(code).toBe(130)
    expect(err).toMatch(/interrupted after row \d+: [\d,]+ records written, every line complete/)
    expect(Number(/after row (\d+)/.exec(err)?.[1])).toBe(lines.length)
  })

  test('killed leaves no line that is not JSON, but for the last', async () => {
    const { text } = await ended('SIGKILL', pathOf('kill.jsonl'))
    const lines = text.split('\n').slice(0, -1)
    expect(lines.length).toBeGreaterThan(50)
    for (const line of lines) JSON.parse(line)
  })
})

describe('wrong use', () => {
  test.each([
    [['chekc', LIBRARY], 'did you mean "check"?'],
    [['check'], 'library'],
    [['check', LIBRARY, '--jsn'], '--json'],
    [['render', LIBRARY, 'label/write', '--take', '3'], 'needs --records'],
    [['render', LIBRARY, 'label/write', '--records', OBJECTS, '--take', 'many'], 'not a whole number'],
    [['render', LIBRARY, 'label/write', '--set', 'item'], 'name=value'],
    [['show', LIBRARY, 'label/write', '--record', 'MH-0001'], '--records'],
  ])('%j', (args, message) => {
    const { code, out, err } = dunelight(...args)
    expect([code, out]).toEqual([2, ''])
    expect(err).toContain(message)
  })

  test('help shows an example each', () => {
    for (const command of [[], ['check'], ['list'], ['show'], ['render']]) {
      const { code, out } = dunelight(...command, '--help')
      expect(code).toBe(0)
      expect(out).toMatch(/Examples?:\n {2}dunelight/)
    }
  })
})

test('--set takes a backslash as it is, --set-text reads \\n as a line break, and a list may be empty', () => {
  const folder = mkdtempSync(join(tmpdir(), 'set-'))
  mkdirSync(join(folder, 'prompts'))
  writeFileSync(
    join(folder, 'prompts/p.yaml'),
    'title: P\nvariables: { t: text, l: list of text }\nturns: [{ user: "{l as count}: {t}" }]\n',
  )
  const text = (...words: string[]) =>
    (JSON.parse(dunelight('render', folder, 'p', '--json', '--set', 'l=[]', ...words).out) as { turns: { text: string }[] }).turns[0]!.text
  expect(text('--set', String.raw`t=C:\new`)).toBe(String.raw`0: C:\new`)
  expect(text('--set-text', String.raw`t=one\ntwo`)).toBe('0: one\ntwo')
  rmSync(folder, { recursive: true })
})
