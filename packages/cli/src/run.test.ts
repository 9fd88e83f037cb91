import { spawnSync } from 'node:child_process'
import { appendFileSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { readTable } from '@dunelight/node'
import { COMMAND, dunelight, dunelightFed } from '../../../test/command.js'
import { linesOf, text, useHouse } from '../../../test/house.js'

const house = useHouse()

/** A library of one prompt. */
function greetings(): string {
  mkdirSync(house.pathOf('greetings/prompts'), { recursive: true })
  writeFileSync(house.pathOf('greetings/prompts/p.yaml'), 'title: P\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]\n')
  return house.pathOf('greetings')
}

describe('run', () => {
  test('writes a folder with the output, the rejected records, and a report; passes the output on', () => {
    const { code, err, out } = dunelight('run', house.house, 'tonight')
    expect([code, out]).toEqual([3, ''])
    expect(err).toContain('176 records rendered, 4 records rejected')
    expect(readdirSync(`${house.house}/runs/tonight-1`).sort()).toEqual([
      'output.jsonl',
      'rejected.jsonl',
      'report.html',
      'report.md',
      'run.json',
    ])
    const lines = linesOf(`${house.house}/out/labels.jsonl`)
    expect(Object.keys(lines[0]!)).toEqual(['record', 'row', 'prompt', 'fingerprint', 'turns', 'output', 'settings'])
    expect(lines.map((line) => line['row'])).toEqual([...lines.map((line) => line['row'] as number)].sort((a, b) => a - b))
    expect(
      linesOf(`${house.house}/runs/tonight-1/rejected.jsonl`).map((line) => [
        line['record'],
        (line['raw'] as Record<string, string>)['Made'],
      ]),
    ).toEqual([
      ['MH-0023', 'c. 1890'],
      ['MH-0067', 'c. 1860'],
      ['MH-0106', 'c. 1905'],
      ['MH-0174', 'c. 1920'],
    ])
    expect(JSON.parse(text(`${house.house}/runs/tonight-1/run.json`))).toMatchObject({
      state: 'done',
      batch: 'tonight',
      prompt: { name: 'label/write' },
      counts: { written: 176, rejected: 4 },
    })
    expect(text(`${house.house}/runs/tonight-1/report.md`)).toContain('| cell-invalid | 4 | MH-0023: row 23')
  })

  test('never writes over a run, nor over what no run has made', () => {
    expect(dunelight('run', house.house, 'tonight').code).toBe(3)
    // The output of the run before, unchanged since, makes room for this one's.
    expect(dunelight('run', house.house, 'tonight', '--keep', 'item.room is "B0"').code).toBe(3)
    expect([linesOf(`${house.house}/runs/tonight-1/output.jsonl`).length, linesOf(`${house.house}/out/labels.jsonl`).length]).toEqual([
      176, 36,
    ])
    appendFileSync(`${house.house}/runs/tonight-2/output.jsonl`, 'a note by hand\n')
    const refused = dunelight('run', house.house, 'tonight')
    expect([refused.code, refused.err]).toEqual([1, expect.stringMatching(/labels\.jsonl already exists \[output-exists\]/)])
    expect(readdirSync(`${house.house}/runs`)).toEqual(['tonight-1', 'tonight-2'])
    expect(dunelight('run', house.house, 'tonight', '--overwrite').code).toBe(3)
    expect(dunelight('runs', house.house).out.match(/^tonight-\d {2}done/gm)).toHaveLength(3)
  })

  test('joins tables, filters by a condition, and writes lines in the form of an envelope', () => {
    expect(dunelight('run', house.house, 'upstairs').code).toBe(3)
    const [line] = linesOf(`${house.house}/out/upstairs.jsonl`)
    expect(Object.keys(line!)).toEqual(['slip', 'desk', 'guidance', 'talk', 'answer', 'heat'])
    expect(line).toMatchObject({ desk: 'small', answer: { form: { type: 'object', additionalProperties: false }, 'at-most': 400 } })
    expect((line!['talk'] as object[])[0]).toMatchObject({ who: 'house' })
  })

  test('makes a file for each record, of several joined tables', () => {
    expect(dunelight('run', house.house, 'rooms-year').code).toBe(0)
    expect(readdirSync(`${house.house}/out/rooms`)).toEqual(['A2.md', 'B0.md', 'C1.md', 'D0.md', 'H0.md', 'K0.md', 'L1.md', 'S1.md'])
    expect(text(`${house.house}/out/rooms/B0.md`)).toMatch(/It was visited [\d,]+ times in 52 weeks/)
    // Where another text is under one of the names, none is published.
    writeFileSync(`${house.house}/out/rooms/K0.md`, 'mine')
    const { code, err } = dunelight('run', house.house, 'rooms-year')
    expect([code, err, text(`${house.house}/out/rooms/K0.md`)]).toEqual([1, expect.stringContaining('K0.md already exists'), 'mine'])
  })

  test('attaches the library’s own files to every record, and no files from elsewhere', () => {
    expect(dunelight('run', house.house, 'box-by-the-door').code).toBe(0)
    const lines = linesOf(`${house.house}/out/slips.jsonl`) as unknown as {
      call: { turns: { 'hands-over'?: { text: string }[] }[] }
      beside: { tokens: number }
    }[]
    expect([lines.length, lines[0]!.call.turns[0]!['hands-over']![0]!.text.startsWith('# '), lines[0]!.beside.tokens > 700]).toEqual([
      60,
      true,
      true,
    ])
    // An envelope that has no place for it loses nothing in silence.
    const lost = dunelight(
      'run',
      house.house,
      'box-by-the-door',
      '--envelope',
      'night-desk',
      '--take',
      '1',
      '--to',
      house.pathOf('lost.jsonl'),
    )
    expect([lost.code, lost.err]).toEqual([3, expect.stringContaining('has no slot for the attachment of the system turn')])
    writeFileSync(
      `${house.house}/batches/nosy.yaml`,
      'prompt: visitor/answer\nrecords: { from: ../data/questions.csv, as: slip }\nset: { guide: ../../other.md }\n',
    )
    writeFileSync(house.pathOf('other.md'), 'Not yours.')
    expect(dunelight('run', house.house, 'nosy')).toMatchObject({
      code: 1,
      err: expect.stringContaining('[path-leaves-library]') as unknown,
    })
    rmSync(`${house.house}/batches/nosy.yaml`)
  })

  test.each(['csv', 'tsv', 'xlsx', 'parquet'])(
    'puts the prompt beside the source’s columns in %s, the same bytes each time',
    async (ending) => {
      const to = (name: string) => house.pathOf(`${name}.${ending}`)
      const run = (name: string) =>
        dunelight('run', house.house, 'label/write', '--records', house.objects, '--to', to(name), '--take', '20').code
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

  test('draws a random sample, in order, the same for the same seed', () => {
    const drawn = (...more: string[]) =>
      dunelight('run', house.house, 'label/write', '--records', house.objects, '--sample', '7', '--to', '-', ...more)
        .out.split('\n')
        .filter(Boolean)
        .map((line) => (JSON.parse(line) as { row: number }).row)
    const first = drawn('--seed', '3')
    expect([first.length, first]).toEqual([7, [...first].sort((a, b) => a - b)])
    expect(drawn('--seed', '3')).toEqual(first)
    expect(drawn('--seed', '4')).not.toEqual(first)
  })

  test('reads what comes by standard input, and keeps it', () => {
    const ran = dunelightFed(
      readFileSync(house.objects, 'utf8'),
      'run',
      house.house,
      'label/write',
      '--records',
      '-',
      '--to',
      house.pathOf('piped.jsonl'),
    )
    expect([ran.code, linesOf(house.pathOf('piped.jsonl')).length]).toEqual([3, 176])
    expect(JSON.parse(dunelight('runs', house.house, '--json').out)).toEqual(
      expect.arrayContaining([
        expect.objectContaining({
          records: expect.objectContaining({ from: expect.stringMatching(/records\.csv$/) as unknown }) as unknown,
        }),
      ]),
    )
  })

  test('rejects a record with a repeated name, and a path that two records share', () => {
    const table = house.pathOf('twice.csv')
    const [heading, first, two] = text(house.objects).split(/\n(?=MH-)/)
    writeFileSync(table, [heading, first, two, first].join('\n'))
    const { code, err } = dunelight(
      'run',
      house.house,
      'label/write',
      '--records',
      table,
      '--name',
      '{item.object-no}',
      '--to',
      house.pathOf('twice.jsonl'),
    )
    expect([code, err.includes('an earlier record has the id "MH-0001"')]).toEqual([3, true])
    const reasons = (run: string) =>
      linesOf(`${house.house}/runs/${run}/rejected.jsonl`).map((line) => [
        line['row'],
        (line['problems'] as { code: string }[])[0]!.code,
        line['raw'] !== null,
      ])
    const latest = () => /^(label-write-\d+) /m.exec(dunelight('runs', house.house).out.split('\n').filter(Boolean).at(-1)!)![1]!
    expect(reasons(latest())).toEqual([[3, 'record-id-duplicate', true]])
    const same = dunelight(
      'run',
      house.house,
      'label/write',
      '--records',
      house.objects,
      '--name',
      '{item.title}',
      '--to',
      house.pathOf('kinds/{item.status}.md'),
    )
    expect([same.code, same.err.includes('another record is written to')]).toEqual([3, true])
    expect(reasons(latest()).map(([, code]) => code)).toContain('record-path-duplicate')
    expect(
      dunelight(
        'run',
        house.house,
        'label/write',
        '--records',
        house.objects,
        '--take',
        '3',
        '--to',
        house.pathOf('makers/{item.maker}.md'),
      ).code,
    ).toBe(3)
    expect(reasons(latest()).map(([, code]) => code)).toContain('record-path-invalid')
  })

  test('rejects a record whose name another has, where the name is the number of a row', () => {
    const table = house.pathOf('numbers.csv')
    writeFileSync(table, 'who\n1\n3\n3\n1\n')
    const folder = greetings()
    expect(dunelight('run', folder, 'p', '--records', table, '--name', '{who}').code).toBe(3)
    expect(
      linesOf(`${folder}/runs/p-1/rejected.jsonl`).map(({ row, problems }) => [row, (problems as { code: string }[])[0]!.code]),
    ).toEqual([
      [3, 'record-id-duplicate'],
      [4, 'record-id-duplicate'],
    ])
  })

  test('refuses to write a spreadsheet that is too large for any program', () => {
    const table = house.pathOf('long.csv')
    writeFileSync(table, `who\n${'x\n'.repeat(100_001)}`)
    const { code, err } = dunelight('run', greetings(), 'p', '--records', table, '--bare', '--to', house.pathOf('long.xlsx'))
    expect([code, err, existsSync(house.pathOf('long.xlsx'))]).toEqual([
      1,
      expect.stringContaining('a spreadsheet holds at most 100000 records [sheet-too-long]'),
      false,
    ])
  })

  test('reports records that give the same prompt', () => {
    const table = house.pathOf('same.jsonl')
    writeFileSync(table, ['a', 'b', 'a'].map((who, i) => JSON.stringify({ id: i, who })).join('\n'))
    expect(dunelight('run', greetings(), 'p', '--records', table).code).toBe(0)
    expect(text(house.pathOf('greetings/runs/p-1/report.md'))).toContain('| 2 | 3 | 1 |')
  })

  test('stops before the first record where the prompts are over the budget', () => {
    const { code, err } = dunelight(
      'run',
      house.house,
      'label/write',
      '--records',
      house.objects,
      '--budget',
      '20k',
      '--to',
      house.pathOf('dear.jsonl'),
    )
    expect(code).toBe(1)
    const [, fit = ''] = /the prompts have [\d,]+ tokens, [\d,]+ more than the budget of 20,000; (\d+) of 176 records fit/.exec(err) ?? []
    expect([err.includes('[budget-exceeded]'), existsSync(house.pathOf('dear.jsonl'))]).toEqual([true, false])
    const taken = dunelight(
      'run',
      house.house,
      'label/write',
      '--records',
      house.objects,
      '--budget',
      '20k',
      '--take',
      fit,
      '--to',
      house.pathOf('dear.jsonl'),
    )
    expect([taken.code, taken.err]).toEqual([
      expect.any(Number),
      expect.stringMatching(new RegExp(`^${fit} records rendered.*, (1\\d|20),\\d{3} tokens`, 'm')),
    ])
  })

  test.each<[string, readonly string[], number, string]>([
    ['no such batch', ['tonigth'], 2, 'did you mean "tonight"?'],
    ['a prompt without a table', ['label/write'], 2, 'add --records FILE'],
    ['a column that there is not', ['tonight', '--column', 'item.title=Titel'], 1, 'unknown column "Titel" for "title"'],
    ['a condition that names nothing', ['tonight', '--keep', 'item.colour is "red"'], 1, 'colour'],
    ['an ending that nothing is written as', ['tonight', '--to', 'labels.docx'], 1, 'cannot write records to labels.docx [output-ending]'],
    ['an end before the first record', ['tonight', '--take', '0'], 1, 'error: "take" must be a whole number from 1, not 0 [key-invalid]\n'],
    ['a budget that is no number', ['tonight', '--budget', 'lots'], 1, 'a number of tokens such as 500k or 2m'],
    ['a join that cannot be read', ['tonight', '--join', 'rooms.json'], 2, 'write --join'],
    ['a table that is not there', ['label/write', '--records', 'gone.csv'], 1, 'cannot read gone.csv'],
    ['a folder', ['label/write', '--records', 'demo'], 1, 'cannot read demo: it is a folder'],
  ])('says %s, and leaves nothing behind', (_, args, code, message) => {
    const ran = dunelight('run', house.house, ...args)
    expect([ran.code, ran.err]).toEqual([code, expect.stringContaining(message)])
    expect(existsSync(`${house.house}/runs`)).toBe(false)
  })

  test('keeps what is whole when a file cannot grow, and goes on where there is room again', () => {
    const runs = house.pathOf('small-disk')
    const words = `${process.execPath} ${COMMAND} run ${house.house} label/write --records ${house.objects} --runs ${runs}`
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
  test('shows what each variable gets, and how to fix what is missing', () => {
    const table = house.pathOf('other.csv')
    writeFileSync(
      table,
      text(house.objects).replace('Object No.,Title', 'Object Number,Heading').replace('Survey note,Surveyed', 'Survey notes,Surveyed'),
    )
    const { code, out } = dunelight('fit', house.house, 'label/write', '--records', table)
    expect(code).toBe(1)
    expect(out).toContain('nothing can run, 3 variables have no column')
    expect(out).toMatch(/columns:\n {2}item\.object-no: "Object Number"\n {2}item\.survey-note: "Survey notes"\n/)
    expect(out).toMatch(/Made: row 23 "c\. 1890", .*and 1 more — expected a whole number/)
    const fixes = [
      '--column',
      'item.object-no=Object Number',
      '--column',
      'item.survey-note=Survey notes',
      '--column',
      'item.title=Heading',
    ]
    expect(dunelight('fit', house.house, 'label/write', '--records', table, ...fixes)).toMatchObject({
      code: 3,
      out: expect.stringContaining('176 valid, 4 would be rejected') as unknown,
    })
    expect(JSON.parse(dunelight('fit', house.house, 'rooms-year', '--json').out)).toMatchObject({ rows: 8, included: 8, rejected: 0 })
  })
})
