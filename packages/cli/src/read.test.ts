import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import Papa from 'papaparse'
import { dunelight } from '../../../test/command.js'

const LIBRARY = 'demo/marram-house'
const OBJECTS = `${LIBRARY}/data/objects.csv`
const replies = (name: string) => `${LIBRARY}/data/replies/${name}.jsonl`
const folder = mkdtempSync(join(tmpdir(), 'dunelight-read-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const tableOf = (file: string) =>
  Papa.parse<Record<string, string>>(readFileSync(file, 'utf8'), { header: true, skipEmptyLines: true }).data
const linesOf = (file: string) =>
  readFileSync(file, 'utf8')
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as Record<string, unknown>)

describe('read', () => {
  test('adds labels to the rows, writes a file for each label, and counts the rest', () => {
    const to = pathOf('graded.csv')
    const { code, out, err } = dunelight(
      'read',
      LIBRARY,
      'survey/grade',
      '--replies',
      replies('grades'),
      '--records',
      OBJECTS,
      '--answered',
      '--to',
      to,
      '--route',
      'grade',
      '--rejected',
      pathOf('rejected.jsonl'),
    )
    expect([code, out]).toEqual([3, ''])
    for (const message of [
      '44 records: 30 valid, 10 repaired, 4 rejected',
      'grade       14 sound · 14 watch · 8 treat · 4 urgent',
      'rejected MH-0021: the reply does not choose a label: it mentions watch, treat',
      'there is more than one reply to "MH-0044"',
      'unknown record "MH-9044"',
    ])
      expect(err).toContain(message)
    expect(err.match(/reply-[a-z-]+(?=\])/g)).toEqual(['reply-duplicate', 'reply-row-unknown'])
    const urgent = tableOf(pathOf('graded.urgent.csv'))
    expect(urgent.map((row) => [row['Object No.'], row['grade'], row['repairs']])).toEqual([
      ['MH-0020', 'urgent', '"Grade: urgent" is read as "urgent"'],
      ['MH-0023', 'urgent', ''],
      ['MH-0034', 'urgent', ''],
      ['MH-0043', 'urgent', ''],
    ])
    expect(tableOf(pathOf('graded.sound.csv'))[2]).toMatchObject({ 'Object No.': 'MH-0004', 'Height mm': '280' })
    expect(readdirSync(folder).sort()).toEqual([
      'graded.sound.csv',
      'graded.treat.csv',
      'graded.urgent.csv',
      'graded.watch.csv',
      'rejected.jsonl',
    ])
    expect(linesOf(pathOf('rejected.jsonl')).map((line) => line['record'])).toEqual(['MH-0016', 'MH-0021', 'MH-0026', 'MH-0032'])
  })

  test('adds fields to the rows, with repairs and unsupported claims', () => {
    const { code, out, err } = dunelight('read', LIBRARY, 'label/write', '--replies', replies('labels'), '--records', OBJECTS, '--answered')
    expect(code).toBe(3)
    const rows = Papa.parse<Record<string, string>>(out, { header: true, skipEmptyLines: true }).data
    expect(rows).toHaveLength(10)
    expect(rows[0]).toMatchObject({ 'Object No.': 'MH-0001', keywords: 'lantern; brass; harbour; lamps', repairs: '', unsupported: '' })
    const note = rows.find((row) => row['Object No.'] === 'MH-0003')!['Survey note']
    expect(note).toContain('socket.\nOld woodworm')
    expect(rows.filter((row) => row['unsupported'] !== '').map((row) => [row['Object No.'], row['unsupported']])).toEqual([
      ['MH-0005', 'Valparaiso; 1871'],
    ])
    expect(err).toContain('16 records: 5 valid, 5 repaired, 6 rejected')
    const strict = dunelight(
      'read',
      LIBRARY,
      'label/write',
      '--replies',
      replies('labels'),
      '--records',
      OBJECTS,
      '--answered',
      '--strict',
      '--json',
    )
    expect(JSON.parse(strict.err.trim().split('\n').at(-1)!)).toMatchObject({ records: 16, valid: 5, repaired: 0, refused: 11 })
  })

  test('writes finished documents in three kinds of files, each called like its record', () => {
    const args = [
      'read',
      LIBRARY,
      'loan/letter',
      '--replies',
      replies('loan-letters'),
      '--records',
      `${LIBRARY}/data/loans.jsonl`,
      '--to',
      pathOf('letters.jsonl'),
      '--documents',
      pathOf('letters'),
      '--as',
      'md,html,docx',
    ]
    const { code, err } = dunelight(...args)
    expect(code).toBe(3)
    expect(err).toContain('mended or [-photographed with flash,-] {+photographed,+} and it comes')
    expect(readdirSync(pathOf('letters')).sort()).toEqual(
      ['L-2026-11', 'L-2026-12'].flatMap((id) => ['docx', 'html', 'md'].map((ending) => `${id}.${ending}`)),
    )
    expect(readFileSync(pathOf('letters/L-2026-12.md'), 'utf8')).toMatch(
      /^# Loan L-2026-12[^]*\n## What travels\n[^]*Director, Marram House\n$/,
    )
    expect(readFileSync(pathOf('letters/L-2026-12.html'), 'utf8')).toMatch(
      /<title>Loan L-2026-12: Pocket sundial<\/title>[^]*<li>The gnomon is bent and stays bent\.<\/li>/,
    )
    // A document of this kind is a ZIP archive.
    expect(readFileSync(pathOf('letters/L-2026-12.docx')).subarray(0, 2).toString()).toBe('PK')
    expect(linesOf(pathOf('letters.jsonl'))[0]).toMatchObject({
      row: { no: 'L-2026-11' },
      answer: { close: 'We shall listen for nothing at all, and be content.' },
      verify: ['two hundred and fifteen'],
    })
    expect(dunelight(...args, '--overwrite').code).toBe(3)
    expect(dunelight(...args.map((arg) => (arg === pathOf('letters.jsonl') ? pathOf('more.jsonl') : arg))).err).toContain(
      'letters is not empty',
    )
  })

  test('matches replies in any order, or by their order where they name no record', () => {
    const table = pathOf('items.csv')
    writeFileSync(table, 'object no,survey note\nMH-1,"A crack, quite new."\nMH-2,Sound as ever.\nMH-3,Dust.\nMH-4,Rust.\n')
    writeFileSync(pathOf('mixed.csv'), 'Record,Reply\nMH-3,watch\nMH-1,"treat\n\nBecause of the ""crack""."\nMH-2,sound\n')
    const mixed = dunelight(
      'read',
      LIBRARY,
      'survey/grade',
      '--replies',
      pathOf('mixed.csv'),
      '--records',
      table,
      '--to',
      pathOf('mixed-out.jsonl'),
      '--rejected',
      pathOf('mixed-rejected.jsonl'),
    )
    expect(mixed.err).toContain('rejected MH-4: there is no reply to "MH-4"')
    expect(JSON.parse(readFileSync(pathOf('mixed-rejected.jsonl'), 'utf8'))).toMatchObject({ problems: [{ code: 'reply-missing' }] })
    expect(
      linesOf(pathOf('mixed-out.jsonl')).map((line) => [(line['row'] as Record<string, string>)['object no'], line['answer']]),
    ).toEqual([
      ['MH-1', { grade: 'treat' }],
      ['MH-2', { grade: 'sound' }],
      ['MH-3', { grade: 'watch' }],
    ])
    writeFileSync(pathOf('plain.yaml'), '- reply: sound\n- reply: watch\n- reply: treat\n- reply: urgent\n')
    expect(dunelight('read', LIBRARY, 'survey/grade', '--replies', pathOf('plain.yaml'), '--records', table).err).toContain(
      '4 records: 4 valid',
    )
  })

  test('reports replies that are equal, or nearly so', () => {
    const card = (body: string) => JSON.stringify({ heading: 'A thing', body, keywords: ['a', 'b', 'c'] })
    const body = 'Oak, branded on one side, from a boat that nobody remembers; the salt still blooms on it after every wet week'
    const other = 'Copper and glass, with a dent above the left port that is older than the gift, and dust on the shelf below it'
    const lines = [card(body), card(`${body}.`), card(`${body} of spring`), card(other)].map((reply, i) =>
      JSON.stringify({ record: `MH-000${i + 1}`, reply }),
    )
    writeFileSync(pathOf('alike.jsonl'), lines.join('\n'))
    const { err } = dunelight(
      'read',
      LIBRARY,
      'label/write',
      '--replies',
      pathOf('alike.jsonl'),
      '--records',
      OBJECTS,
      '--answered',
      '--to',
      pathOf('alike.csv'),
    )
    expect(err).toContain('alike       MH-0001 = MH-0002 · MH-0001 ≈ MH-0003\n')
  })

  test.each<[string, readonly string[], string]>([
    ['no column of replies', ['--replies', OBJECTS, '--records', OBJECTS], 'no column for "reply"'],
    ['no such file', ['--replies', 'gone.jsonl', '--records', OBJECTS], 'cannot read gone.jsonl: no such file'],
    ['no replies at all', ['--replies', 'EMPTY', '--records', OBJECTS], 'has no headings and no rows'],
    [
      'a table of an unknown kind',
      ['--replies', replies('grades'), '--records', OBJECTS, '--to', 'x.xlsx'],
      '".xlsx" is not a table format',
    ],
    [
      'a column without labels',
      ['--replies', replies('grades'), '--records', OBJECTS, '--to', pathOf('y.csv'), '--route', 'title'],
      'columns with labels: grade',
    ],
    [
      'a route without a file',
      ['--replies', replies('grades'), '--records', OBJECTS, '--route', 'grade'],
      '--route needs files to write to',
    ],
    ['documents of a label', ['--replies', replies('grades'), '--records', OBJECTS, '--documents', pathOf('d')], 'are not documents'],
    ['kinds without documents', ['--replies', replies('grades'), '--records', OBJECTS, '--as', 'md'], 'add --documents FOLDER'],
    [
      'the table itself as the target',
      ['--replies', replies('grades'), '--records', OBJECTS, '--to', OBJECTS, '--overwrite'],
      'would be written over while it is read',
    ],
  ])('%s is said, and nothing is written', (_, args, message) => {
    writeFileSync(pathOf('empty.jsonl'), '\n')
    const before = readdirSync(folder)
    const { code, err } = dunelight('read', LIBRARY, 'survey/grade', ...args.map((arg) => (arg === 'EMPTY' ? pathOf('empty.jsonl') : arg)))
    expect([code === 1 || code === 2, err.includes(message)]).toEqual([true, true])
    expect(readdirSync(folder)).toEqual(before)
    expect(existsSync('x.xlsx')).toBe(false)
  })
})

describe('sample and schema --answer', () => {
  test('make up what read takes, or refuses', () => {
    const { out } = dunelight('sample', LIBRARY, 'label/write', '--count', '3', '--seed', '5')
    const made = out
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { seed: number; reply: string })
    expect(made.map((item) => item.seed)).toEqual([5, 6, 7])
    expect(JSON.parse(made[0]!.reply)).toHaveProperty('heading')
    expect(dunelight('sample', LIBRARY, 'survey/grade', '--ways').out).toContain('several-labels  refused\n')
    expect(dunelight('sample', LIBRARY, 'loan/letter').err).toContain('name a record: --records FILE --record ID')
    expect(dunelight('sample', LIBRARY, 'loan/letter', '--records', `${LIBRARY}/data/loans.jsonl`, '--record', 'L-2026-12').out).toMatch(
      /^# Loan L-2026-12: Pocket sundial\n/,
    )
    expect(dunelight('sample', LIBRARY, 'survey/grade', '--as', 'fencd').err).toContain('unknown way "fencd"')
  })
  test('print what replies are read as', () => {
    expect(JSON.parse(dunelight('schema', LIBRARY, 'survey/grade', '--answer').out)).toMatchObject({
      properties: { grade: { enum: ['sound', 'watch', 'treat', 'urgent'] } },
    })
    expect(JSON.parse(dunelight('schema', LIBRARY, 'visitor/answer', '--answer', '--call', '--strict').out)).toMatchObject({
      name: 'slip-answer',
      parameters: { required: ['answer', 'in-the-guide', 'pass-to'], properties: { 'pass-to': { type: ['string', 'null'] } } },
    })
    expect(dunelight('schema', LIBRARY, 'survey/grade', '--call').err).toContain('--call needs --answer')
  })

  test('reports a line that cannot be read, and reads the others', () => {
    writeFileSync(pathOf('broken.jsonl'), '{"record":"MH-0001","reply":"sound"}\n{"record":\n{"record":"MH-0002","reply":"watch"}\n')
    const { code, out, err } = dunelight(
      'read',
      LIBRARY,
      'survey/grade',
      '--replies',
      pathOf('broken.jsonl'),
      '--records',
      OBJECTS,
      '--answered',
    )
    expect([code, out.split('\n').length, err.includes('line 2 is not valid JSON: it ends before it is closed')]).toEqual([3, 4, true])
  })
})
