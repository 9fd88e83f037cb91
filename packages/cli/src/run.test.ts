import { spawn, spawnSync } from 'node:child_process'
import {
  appendFileSync,
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { readTable } from '@dunelight/node'
import { COMMAND, dunelight, dunelightFed } from '../../../test/command.js'
import { generateObjects } from '../../../scripts/generate.mjs'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-run-'))
const at = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

/** A library of the demo's own, whose runs nobody else makes. */
const HOUSE = at('house')
const OBJECTS = `${HOUSE}/data/objects.csv`
beforeAll(() => {
  cpSync('demo/marram-house', HOUSE, { recursive: true, filter: (path) => !/\/(?:runs|out)$/.test(path) })
  mkdirSync(at('greetings/prompts'), { recursive: true })
  writeFileSync(at('greetings/prompts/p.yaml'), 'title: P\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]\n')
})

const text = (path: string) => readFileSync(path, 'utf8')
const linesOf = (path: string) =>
  text(path)
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Record<string, unknown>)
const runFile = (run: string) => JSON.parse(text(`${HOUSE}/runs/${run}/run.json`)) as Record<string, unknown>

describe('run', () => {
  test('writes a folder with the output, what was set aside, and a report; the output is handed on', () => {
    const { code, err, out } = dunelight('run', HOUSE, 'tonight')
    expect([code, out]).toEqual([3, ''])
    expect(err).toContain('176 records rendered, 4 records set aside')
    expect(readdirSync(`${HOUSE}/runs/tonight-1`).sort()).toEqual([
      'output.jsonl',
      'report.html',
      'report.md',
      'run.json',
      'set-aside.jsonl',
    ])
    const lines = linesOf(`${HOUSE}/out/labels.jsonl`)
    expect(Object.keys(lines[0]!)).toEqual(['record', 'row', 'prompt', 'fingerprint', 'turns', 'output', 'settings'])
    expect(lines.map((line) => line['row'])).toEqual([...lines.map((line) => line['row'] as number)].sort((a, b) => a - b))
    expect(
      linesOf(`${HOUSE}/runs/tonight-1/set-aside.jsonl`).map((line) => [line['record'], (line['raw'] as Record<string, string>)['Made']]),
    ).toEqual([
      ['MH-0023', 'c. 1890'],
      ['MH-0067', 'c. 1860'],
      ['MH-0106', 'c. 1905'],
      ['MH-0174', 'c. 1920'],
    ])
    expect(runFile('tonight-1')).toMatchObject({
      state: 'done',
      batch: 'tonight',
      prompt: { name: 'label/write' },
      counts: { written: 176, rejected: 4 },
    })
    expect(text(`${HOUSE}/runs/tonight-1/report.md`)).toContain('| cell-unfit | 4 | MH-0023: row 23')
  })

  test('never writes over a run, nor over what no run has made', () => {
    // The output of the run before, unchanged since, makes room for this one's.
    expect(dunelight('run', HOUSE, 'tonight', '--keep', 'item.room is "B0"').code).toBe(3)
    expect([linesOf(`${HOUSE}/runs/tonight-1/output.jsonl`).length, linesOf(`${HOUSE}/out/labels.jsonl`).length]).toEqual([176, 36])
    appendFileSync(`${HOUSE}/runs/tonight-2/output.jsonl`, 'a note by hand\n')
    const refused = dunelight('run', HOUSE, 'tonight')
    expect([refused.code, refused.err]).toEqual([1, expect.stringMatching(/labels\.jsonl exists already \[output-exists\]/)])
    expect(readdirSync(`${HOUSE}/runs`)).toEqual(['tonight-1', 'tonight-2'])
    expect(dunelight('run', HOUSE, 'tonight', '--overwrite').code).toBe(3)
    expect(dunelight('runs', HOUSE).out.match(/^tonight-\d {2}done/gm)).toHaveLength(3)
  })

  test('joins tables, keeps what a condition says, and writes lines in the form of an envelope', () => {
    expect(dunelight('run', HOUSE, 'upstairs').code).toBe(3)
    const [line] = linesOf(`${HOUSE}/out/upstairs.jsonl`)
    expect(Object.keys(line!)).toEqual(['slip', 'desk', 'guidance', 'talk', 'answer', 'heat'])
    expect(line).toMatchObject({ desk: 'small', answer: { form: { type: 'object', additionalProperties: false }, 'at-most': 400 } })
    expect((line!['talk'] as object[])[0]).toMatchObject({ who: 'house' })
  })

  test('makes a file for each record, of several joined tables', () => {
    expect(dunelight('run', HOUSE, 'rooms-year').code).toBe(0)
    expect(readdirSync(`${HOUSE}/out/rooms`)).toEqual(['A2.md', 'B0.md', 'C1.md', 'D0.md', 'H0.md', 'K0.md', 'L1.md', 'S1.md'])
    expect(text(`${HOUSE}/out/rooms/B0.md`)).toMatch(/It was visited [\d,]+ times in 52 weeks/)
    // Where another text stands under one of the names, none is handed on.
    writeFileSync(`${HOUSE}/out/rooms/K0.md`, 'mine')
    const { code, err } = dunelight('run', HOUSE, 'rooms-year')
    expect([code, err, text(`${HOUSE}/out/rooms/K0.md`)]).toEqual([1, expect.stringContaining('K0.md exists already'), 'mine'])
  })

  test('hands the library’s own files to every record, and none of anybody else', () => {
    expect(dunelight('run', HOUSE, 'box-by-the-door').code).toBe(0)
    const lines = linesOf(`${HOUSE}/out/slips.jsonl`) as unknown as {
      call: { turns: { 'hands-over'?: { text: string }[] }[] }
      beside: { tokens: number }
    }[]
    expect([lines.length, lines[0]!.call.turns[0]!['hands-over']![0]!.text.startsWith('# '), lines[0]!.beside.tokens > 700]).toEqual([
      60,
      true,
      true,
    ])
    // An envelope that has no place for it loses nothing in silence.
    const lost = dunelight('run', HOUSE, 'box-by-the-door', '--envelope', 'night-desk', '--take', '1', '--to', at('lost.jsonl'))
    expect([lost.code, lost.err]).toEqual([3, expect.stringContaining('has no place for what the system turn hands over')])
    writeFileSync(
      `${HOUSE}/batches/nosy.yaml`,
      'prompt: visitor/answer\nrecords: { from: ../data/questions.csv, as: slip }\nset: { guide: ../../other.md }\n',
    )
    writeFileSync(at('other.md'), 'Not yours.')
    expect(dunelight('run', HOUSE, 'nosy')).toMatchObject({ code: 1, err: expect.stringContaining('[path-outside]') as unknown })
    rmSync(`${HOUSE}/batches/nosy.yaml`)
  })

  test.each(['csv', 'tsv', 'xlsx', 'parquet'])(
    'puts the prompt beside the source’s columns in %s, the same bytes each time',
    async (ending) => {
      const to = (name: string) => at(`${name}.${ending}`)
      const run = (name: string) => dunelight('run', HOUSE, 'label/write', '--records', OBJECTS, '--to', to(name), '--take', '20').code
      expect([run('one'), run('other')]).toEqual([0, 0])
      expect(readFileSync(to('one')).equals(readFileSync(to('other')))).toBe(true)
      const rows: unknown[][] = []
      for await (const chunk of readTable(to('one'))) {
        expect(chunk.headings.slice(-3)).toEqual(['Donor e-mail', 'record', 'prompt'])
        rows.push(...(chunk.rows as unknown[][]))
      }
      expect([rows.length, rows[6]!.at(-2)]).toEqual([20, 'MH-0007'])
      expect(rows[6]!.at(-1)).toMatch(/^system:\nYou are the registrar[\s\S]*\n\nuser:\nWrite the label for MH-0007\./)
    },
  )

  test('draws a sample by lot, in order, the same for the same seed', () => {
    const drawn = (...more: string[]) =>
      dunelight('run', HOUSE, 'label/write', '--records', OBJECTS, '--sample', '7', '--to', '-', ...more)
        .out.split('\n')
        .filter(Boolean)
        .map((line) => (JSON.parse(line) as { row: number }).row)
    const first = drawn('--seed', '3')
    expect([first.length, first]).toEqual([7, [...first].sort((a, b) => a - b)])
    expect(drawn('--seed', '3')).toEqual(first)
    expect(drawn('--seed', '4')).not.toEqual(first)
  })

  test('reads what comes by standard input, and keeps it', () => {
    const ran = dunelightFed(readFileSync(OBJECTS, 'utf8'), 'run', HOUSE, 'label/write', '--records', '-', '--to', at('piped.jsonl'))
    expect([ran.code, linesOf(at('piped.jsonl')).length]).toEqual([3, 176])
    expect(JSON.parse(dunelight('runs', HOUSE, '--json').out)).toEqual(
      expect.arrayContaining([
        expect.objectContaining({
          records: expect.objectContaining({ from: expect.stringMatching(/records\.csv$/) as unknown }) as unknown,
        }),
      ]),
    )
  })

  test('sets aside a record whose name came before, and a path that two would go to', () => {
    const table = at('twice.csv')
    const [heading, one, two] = text(OBJECTS).split(/\n(?=MH-)/)
    writeFileSync(table, [heading, one, two, one].join('\n'))
    const { code, err } = dunelight('run', HOUSE, 'label/write', '--records', table, '--to', at('twice.jsonl'))
    expect([code, err.includes('a record called "MH-0001" came before')]).toEqual([3, true])
    const reasons = (run: string) =>
      linesOf(`${HOUSE}/runs/${run}/set-aside.jsonl`).map((line) => [
        line['row'],
        (line['problems'] as { code: string }[])[0]!.code,
        line['raw'] !== null,
      ])
    const latest = () => /^(label-write-\d+) /m.exec(dunelight('runs', HOUSE).out.split('\n').filter(Boolean).at(-1)!)![1]!
    expect(reasons(latest())).toEqual([[3, 'record-named-twice', true]])
    const same = dunelight(
      'run',
      HOUSE,
      'label/write',
      '--records',
      OBJECTS,
      '--name',
      '{item.title}',
      '--to',
      at('kinds/{item.status}.md'),
    )
    expect([same.code, same.err.includes('another record goes to')]).toEqual([3, true])
    expect(reasons(latest()).map(([, code]) => code)).toContain('record-path-twice')
    expect(dunelight('run', HOUSE, 'label/write', '--records', OBJECTS, '--take', '3', '--to', at('makers/{item.maker}.md')).code).toBe(3)
    expect(reasons(latest()).map(([, code]) => code)).toContain('record-path-unfit')
  })

  test('makes no spreadsheet that nobody could read', () => {
    const table = at('long.csv')
    writeFileSync(table, `who\n${'x\n'.repeat(100_001)}`)
    const { code, err } = dunelight('run', at('greetings'), 'p', '--records', table, '--bare', '--to', at('long.xlsx'))
    expect([code, err, existsSync(at('long.xlsx'))]).toEqual([
      1,
      expect.stringContaining('a spreadsheet takes 100000 records at most [sheet-too-long]'),
      false,
    ])
  })

  test('says which records give the same prompt', () => {
    const table = at('same.jsonl')
    writeFileSync(table, ['a', 'b', 'a'].map((who, i) => JSON.stringify({ id: i, who })).join('\n'))
    expect(dunelight('run', at('greetings'), 'p', '--records', table).code).toBe(0)
    expect(text(at('greetings/runs/p-2/report.md'))).toContain('| 3 | 3 | 1 |')
  })

  test('stops before the first record where the prompts are over the budget', () => {
    const { code, err } = dunelight('run', HOUSE, 'label/write', '--records', OBJECTS, '--budget', '20k', '--to', at('dear.jsonl'))
    expect(code).toBe(1)
    const [, fit = ''] = /the prompts have [\d,]+ tokens, [\d,]+ more than the budget of 20,000; (\d+) of 176 records fit/.exec(err) ?? []
    expect([err.includes('[budget-exceeded]'), existsSync(at('dear.jsonl'))]).toEqual([true, false])
    const taken = dunelight('run', HOUSE, 'label/write', '--records', OBJECTS, '--budget', '20k', '--take', fit, '--to', at('dear.jsonl'))
    expect([taken.code, taken.err]).toEqual([
      expect.any(Number),
      expect.stringMatching(new RegExp(`^${fit} records rendered.*, (1\\d|20),\\d{3} tokens`, 'm')),
    ])
  })

  test.each<[string, readonly string[], number, string]>([
    ['no such batch', ['tonigth'], 2, 'did you mean "tonight"?'],
    ['a prompt without a table', ['label/write'], 2, 'add --records FILE'],
    ['a column that there is not', ['tonight', '--column', 'item.title=Titel'], 1, 'there is no column "Titel" for "title"'],
    ['a condition that names nothing', ['tonight', '--keep', 'item.colour is "red"'], 1, 'colour'],
    [
      'an ending that nothing is written as',
      ['tonight', '--to', 'labels.docx'],
      1,
      'records are not written as labels.docx [output-ending]',
    ],
    ['a budget that is no number', ['tonight', '--budget', 'lots'], 1, 'a number of tokens such as 500k or 2m'],
    ['a join that cannot be read', ['tonight', '--join', 'rooms.json'], 2, 'write --join'],
    ['a table that is not there', ['label/write', '--records', 'gone.csv'], 1, 'cannot read gone.csv'],
    ['a folder', ['label/write', '--records', 'demo'], 1, 'cannot read demo: it is a folder'],
  ])('says %s, and leaves nothing behind', (_, args, code, says) => {
    const before = readdirSync(`${HOUSE}/runs`)
    const ran = dunelight('run', HOUSE, ...args)
    expect([ran.code, ran.err]).toEqual([code, expect.stringContaining(says)])
    expect(readdirSync(`${HOUSE}/runs`)).toEqual(before)
  })

  test('keeps what is whole when a file cannot grow, and goes on where there is room again', () => {
    const runs = at('small-disk')
    const words = `${process.execPath} ${COMMAND} run ${HOUSE} label/write --records ${OBJECTS} --runs ${runs}`
    // A limit on the size of files is what a full disk is like, without a disk to fill.
    const ran = spawnSync('bash', ['-c', `trap '' XFSZ; ulimit -f 100; exec ${words}`], { encoding: 'utf8' })
    expect([ran.status, ran.stderr]).toEqual([
      1,
      expect.stringMatching(/cannot write output\.jsonl: .*all that was written before is whole\n.*dunelight resume/),
    ])
    expect(dunelight('resume', join(runs, 'label-write-1')).code).toBe(3)
    expect(linesOf(join(runs, 'label-write-1/output.jsonl'))).toHaveLength(176)
  })
})

describe('fit', () => {
  test('shows what each variable gets, and what would mend it', () => {
    const table = at('other.csv')
    writeFileSync(
      table,
      text(OBJECTS).replace('Object No.,Title', 'Object Number,Heading').replace('Survey note,Surveyed', 'Survey notes,Surveyed'),
    )
    const { code, out } = dunelight('fit', HOUSE, 'label/write', '--records', table)
    expect(code).toBe(1)
    expect(out).toContain('nothing can run, 3 variables have no column')
    expect(out).toMatch(/columns:\n {2}item\.object-no: "Object Number"\n {2}item\.survey-note: "Survey notes"\n/)
    expect(out).toMatch(/Made: row 23 "c\. 1890", .*and 1 more — expected a whole number/)
    const mended = [
      '--column',
      'item.object-no=Object Number',
      '--column',
      'item.survey-note=Survey notes',
      '--column',
      'item.title=Heading',
    ]
    expect(dunelight('fit', HOUSE, 'label/write', '--records', table, ...mended)).toMatchObject({
      code: 3,
      out: expect.stringContaining('176 fit, 4 would be set aside') as unknown,
    })
    expect(JSON.parse(dunelight('fit', HOUSE, 'rooms-year', '--json').out)).toMatchObject({ rows: 8, kept: 8, aside: 0 })
  })
})

describe('a run that broke off', () => {
  const ROWS = 6_000
  const table = at('many.csv')
  const args = (name: string, more: readonly string[]) => [
    'run',
    HOUSE,
    'label/write',
    '--records',
    table,
    '--runs',
    at(name),
    '--to',
    at(`${name}.jsonl`),
    ...more,
  ]
  const folderOf = (name: string) => at(`${name}/label-write-1`)

  beforeAll(async () => {
    await generateObjects(ROWS, table)
    // Some rows that are set aside, and one name that comes twice.
    appendFileSync(table, 'MH-0001,again,lamp,,1890,oak,100,100,H0,on display,Sound.,2026-05-05,,\n')
    writeFileSync(table, text(table).replace(/^(MH-\d*7,(?:"[^"]*"|[^,]*),[^,]*,(?:"(?:[^"]|"")*"|[^,]*),)(\d{4}),/gm, '$1c. $2,'))
    expect(dunelight(...args('whole', [])).code).toBe(3)
  })

  const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
  const begun = (name: string) => existsSync(join(folderOf(name), 'run.json'))
  const fileOf = (name: string) => JSON.parse(text(join(folderOf(name), 'run.json'))) as { state: string; seconds: number; counts: unknown }

  /** Starts the command, and ends it without a word a while after `since` holds; without a while, waits for its end. */
  async function start(
    words: readonly string[],
    since: () => boolean = () => true,
    after = Infinity,
  ): Promise<{ code: number | null; err: string }> {
    const child = spawn(process.execPath, [COMMAND, ...words], { stdio: ['ignore', 'ignore', 'pipe'] })
    let err = ''
    child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()))
    const ended = new Promise<number | null>((resolve) => child.once('close', resolve))
    while (!since() && child.exitCode === null) await pause(3)
    if (after < Infinity) {
      await Promise.race([ended, pause(after)])
      child.kill('SIGKILL')
    }
    return { code: await ended, err }
  }

  test('at any of fifty moments comes to the same end, byte for byte', async () => {
    const whole = [readFileSync(at('whole.jsonl')), readFileSync(join(folderOf('whole'), 'set-aside.jsonl'))]
    const { seconds, counts } = fileOf('whole')
    const moment = () => Math.random() * seconds * 1000
    let broken = 0
    const breakOff = async (k: number) => {
      const name = `k${k}`
      const words = args(name, k % 5 === 4 ? ['--workers', '2'] : [])
      // Some end before they have begun: nothing is there to be carried on then, nor in the way.
      if (k % 10 === 9) await start(words, undefined, Math.random() * 400)
      if (!begun(name)) await start(words, () => begun(name), moment())
      // Some are ended a second time while they are carried on.
      if (k % 4 === 0) await start(['resume', folderOf(name)], undefined, 300 + moment())
      const { code, err } = await start(['resume', folderOf(name)])
      if (code === 3) broken++
      else expect(err).toContain('has ended')
      const same = [readFileSync(at(`${name}.jsonl`)), readFileSync(join(folderOf(name), 'set-aside.jsonl'))].map((one, i) =>
        one.equals(whole[i]!),
      )
      expect([k, ...same]).toEqual([k, true, true])
      expect(fileOf(name).counts).toEqual(counts)
      rmSync(at(name), { recursive: true })
      rmSync(at(`${name}.jsonl`))
    }
    const lane = async (first: number) => {
      for (let k = first; k < 50; k += 2) await breakOff(k)
    }
    await Promise.all([lane(0), lane(1)])
    expect(broken).toBeGreaterThan(20)
  }, 480_000)

  test('is not carried on where something has changed, and says what', async () => {
    await start(args('changed', []), () => existsSync(join(folderOf('changed'), 'checkpoint.json')), 0)
    const house = `${HOUSE}/snippets/house/style.yaml`
    const [style, rows] = [text(house), text(table)]
    writeFileSync(house, style.replace('Short sentences.', 'Long sentences.'))
    appendFileSync(table, 'MH-99999,late,lamp,,1890,oak,1,1,H0,on display,Sound.,2026-05-05,,\n')
    const { code, err } = dunelight('resume', folderOf('changed'))
    expect([code, err]).toEqual([
      1,
      expect.stringMatching(/the prompt "label\/write" has changed[\s\S]*the table many\.csv has changed: it had \d+ bytes, and has \d+/),
    ])
    writeFileSync(house, style)
    writeFileSync(table, rows)
    expect(err).toContain('[run-changed]')
    expect(dunelight('runs', HOUSE, '--runs', at('changed')).out).toMatch(/broken off .*dunelight resume/)
    expect(dunelight('resume', folderOf('changed')).code).toBe(3)
    expect(dunelight('resume', folderOf('changed')).err).toContain('[run-over]')
    expect(dunelight('resume', at('nowhere')).err).toContain('[run-unreadable]')
  })

  test('is left alone while somebody is at it', async () => {
    const child = spawn(process.execPath, [COMMAND, ...args('alive', [])], { stdio: 'ignore' })
    while (!begun('alive')) await pause(3)
    child.kill('SIGSTOP')
    const { code, err } = await start(['resume', folderOf('alive')])
    child.kill('SIGKILL')
    expect([code, err]).toEqual([1, expect.stringContaining('[run-alive]')])
  })

  test('on several threads writes the same as on one', () => {
    for (const count of ['2', '3']) {
      expect(dunelight(...args(`w${count}`, ['--workers', count])).code).toBe(3)
      expect(readFileSync(at(`w${count}.jsonl`)).equals(readFileSync(at('whole.jsonl')))).toBe(true)
    }
  })

  test('where nobody may write, says so', () => {
    const runs = at('locked')
    mkdirSync(runs)
    chmodSync(runs, 0o500)
    // Root may write anywhere: there is nothing to see then.
    if (process.getuid?.() === 0) return
    expect(dunelight('run', HOUSE, 'tonight', '--runs', runs)).toMatchObject({
      code: 1,
      err: expect.stringContaining('no permission') as unknown,
    })
  })
})
