import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeEach, describe, expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'

const LIBRARY = 'demo/marram-house'
const OBJECTS = `${LIBRARY}/data/objects.csv`
const folder = mkdtempSync(join(tmpdir(), 'dunelight-examples-'))
const pathOf = (name: string) => join(folder, name)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('examples', () => {
  test('at a glance: cases by label, lengths, tokens, nearest pairs', () => {
    const { code, out } = dunelight('examples', LIBRARY, 'condition-notes')
    expect(code).toBe(0)
    for (const part of [
      '48 cases, from data/graded-notes.csv',
      'sound     16  ████',
      'urgent     7',
      'by likeness, at most 6, every grade, within 400 tokens',
    ])
      expect(out).toContain(part)
    expect(JSON.parse(dunelight('examples', LIBRARY, 'condition-notes', '--json').out)).toMatchObject({
      cases: 48,
      labels: { sound: 16, watch: 14, treat: 11, urgent: 7 },
      nearest: [{ first: 19, second: 35, likeness: 0.44 }, {}, {}, {}, {}],
    })
  })

  test('for a record: which cases, in what order, and why', () => {
    const picks = (id: string) => {
      const { out } = dunelight('examples', LIBRARY, 'condition-notes', '--for', id, '--records', OBJECTS, '--json')
      return (JSON.parse(out) as { picks: { cases: { case: number; why: string; score: number }[]; same: number[]; cut: number }[] })
        .picks[0]!
    }
    const rusty = picks('MH-0008')
    expect(rusty.cases.at(-1)).toMatchObject({ case: 31, why: 'cover' })
    expect(rusty.cases.map((item) => item.score)).toEqual(rusty.cases.map((item) => item.score).sort((a, b) => a - b))
    expect(new Set(rusty.cases.filter((item) => item.why === 'cover').map((item) => item.case)).size).toBe(4)
    expect(picks('MH-0002')).toMatchObject({ same: [1], cut: 0 })
    const { out } = dunelight('examples', LIBRARY, 'condition-notes', '--for', 'MH-0002', '--records', OBJECTS)
    expect(out).toContain('left out because it equals the record: case 1')
  })

  test('within the budget, in every command that renders a record', () => {
    const small = pathOf('small')
    cpSync(LIBRARY, small, { recursive: true })
    const set = join(small, 'examples/condition-notes.yaml')
    writeFileSync(set, readFileSync(set, 'utf8').replace('budget: 400 tokens', 'budget: 70 tokens'))
    const { out } = dunelight('render', small, 'survey/grade', '--records', OBJECTS, '--record', 'MH-0008')
    const { turns } = JSON.parse(out) as { turns: { text: string }[] }
    // The instructions, two cases of about thirty tokens, the question and the begun answer.
    expect(turns).toHaveLength(1 + 2 * 2 + 2)
    const { picks } = JSON.parse(
      dunelight('examples', small, 'condition-notes', '--for', 'MH-0008', '--records', OBJECTS, '--json').out,
    ) as {
      picks: { cut: number }[]
    }
    expect(picks[0]?.cut).toBe(4)
  })

  test('each case left out in turn, as a table and as a page', () => {
    const { out } = dunelight('examples', LIBRARY, 'condition-notes', '--leave-one-out')
    expect(out).toMatch(/\d+% of 48 cases are labelled correctly by their five nearest cases/)
    expect(dunelight('examples', LIBRARY, 'condition-notes', '--leave-one-out', '--to', pathOf('floor.html')).code).toBe(0)
    const page = readFileSync(pathOf('floor.html'), 'utf8')
    const cells = [...page.matchAll(/<td class="(?:right)?"[^>]*>(\d*)<\/td>/g)].map((match) => Number(match[1]))
    expect([cells.length, cells.reduce((sum, number) => sum + number, 0)]).toEqual([16, 48])
  })

  test('explains wrong options', () => {
    expect(dunelight('examples', LIBRARY, 'condition-note')).toMatchObject({
      code: 1,
      err: expect.stringContaining('did you mean "condition-notes"?'),
    })
    expect(dunelight('examples', LIBRARY, 'condition-notes', '--for', 'MH-0001')).toMatchObject({
      code: 2,
      err: expect.stringContaining('add --records FILE'),
    })
    expect(dunelight('examples', LIBRARY, 'condition-notes', '--to', pathOf('x.html'))).toMatchObject({ code: 2 })
  })
})

describe('examples add', () => {
  const library = pathOf('house')
  beforeEach(() => cpSync(LIBRARY, library, { recursive: true }))
  const table = pathOf('corrected.csv')
  writeFileSync(
    table,
    [
      'Object No.;Note;Grade;Checked',
      'MH-0120;"Three new flakes under the rail; the ""old"" fill\nhas shrunk away from the edge.";Treat;yes',
      'MH-0121;Rust active under the guard, orange on the cloth, flakes when brushed. Not spreading to the next thing yet;treat;yes',
      'MH-0122;"Worn smooth at the tongue from years of twine. Sound, no splits, and a faint tar smell when warmed in the hand.";urgent;yes',
      'MH-0123;Nothing new.;soundish;yes',
      'MH-0124;;watch;yes',
      'MH-0125;Not looked at again yet.;watch;no',
      '',
    ].join('\n'),
  )

  test('adds the rows that are kept, and refuses those that break the set’s rules', () => {
    const before = readFileSync(join(library, 'data/graded-notes.csv'), 'utf8')
    const { code, err } = dunelight('examples', 'add', library, 'condition-notes', '--from', table, '--keep', 'checked is "yes"')
    expect([code, err.split('\n')]).toEqual([
      3,
      [
        'refused row 2: cases 31 and 50 are nearly the same',
        'refused row 3: cases 1 and 51 have the same input and different expected sides',
        'refused row 4: column "Grade": "soundish" is not one of sound, watch, treat, urgent',
        'refused row 5: case 53: "note" is missing',
        '6 rows, 5 selected, 1 case added → data/graded-notes.csv',
        '',
      ],
    ])
    const after = readFileSync(join(library, 'data/graded-notes.csv'), 'utf8')
    expect(after).toBe(`${before}MH-0120,"Three new flakes under the rail; the ""old"" fill\nhas shrunk away from the edge.",treat,,\n`)
    expect(dunelight('check', library).code).toBe(0)
    expect(JSON.parse(dunelight('examples', library, 'condition-notes', '--json').out)).toMatchObject({ cases: 49 })
  })

  test('reports it only if the option is given', () => {
    const { err } = dunelight(
      'examples',
      'add',
      library,
      'condition-notes',
      '--from',
      table,
      '--keep',
      'grade is "treat" and checked is "yes"',
      '--dry-run',
    )
    expect(err).toContain('6 rows, 2 selected, 1 case would be added\n')
    expect(readFileSync(join(library, 'data/graded-notes.csv'), 'utf8')).toBe(readFileSync(`${LIBRARY}/data/graded-notes.csv`, 'utf8'))
  })

  test('adds to the set’s own file where it has no table, comments kept', () => {
    const file = join(library, 'examples/hand.yaml')
    writeFileSync(file, '# by hand\nfields: { note: text, grade: text }\ncases:\n  - { note: One., grade: sound } # the first\n')
    expect(dunelight('examples', 'add', library, 'hand', '--from', table, '--keep', 'object-no is "MH-0120"').err).toContain(
      '1 case added → examples/hand.yaml',
    )
    const text = readFileSync(file, 'utf8')
    expect(text).toMatch(/^# by hand[^]*# the first[^]*has shrunk away/)
    expect(JSON.parse(dunelight('examples', library, 'hand', '--json').out)).toMatchObject({ cases: 2 })
  })

  test('adds to a table in the table’s own writing', () => {
    const own = join(library, 'data/graded-notes.csv')
    writeFileSync(own, '\uFEFF"Object No.";Note;Grade\r\nMH-1;"Rim; cracked.";watch')
    expect(dunelight('examples', 'add', library, 'condition-notes', '--from', table, '--keep', 'object-no is "MH-0120"').code).toBe(0)
    expect(readFileSync(own, 'utf8')).toBe(
      '\uFEFF"Object No.";Note;Grade\r\nMH-1;"Rim; cracked.";watch\r\nMH-0120;"Three new flakes under the rail; the ""old"" fill\nhas shrunk away from the edge.";treat\r\n',
    )
  })

  test.each([
    ['a misspelt column', ['--from', table, '--keep', 'cheked is "yes"'], 1, 'did you mean "checked"?'],
    ['a condition that cannot be read', ['--from', table, '--keep', 'checked ist "yes"'], 1, 'expected nothing more'],
    ['a table that is not there', ['--from', pathOf('none.csv')], 1, 'no such file or folder'],
    ['a table without the set’s fields', ['--from', `${LIBRARY}/data/keepers.csv`], 1, 'no column for "grade"'],
    ['no table at all', [], 2, '--from'],
  ])('%s is refused', (_, args, code, message) => {
    const ran = dunelight('examples', 'add', library, 'condition-notes', ...args)
    expect(ran.code).toBe(code)
    expect(ran.err).toContain(message)
  })
})
