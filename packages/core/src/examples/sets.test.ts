import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import type { CaseRows } from 'dunelight/host'
import { problemsOf, type Files } from '../../../../test/support.js'

const FIELDS = 'title: Notes\nfields: { note: { type: text, untrusted: true }, grade: { type: choice, of: [sound, watch, treat] } }\n'
const cases = (...all: (readonly [note: string, grade: string])[]) =>
  `cases:\n${all.map(([note, grade]) => `  - { note: ${JSON.stringify(note)}, grade: ${grade} }\n`).join('')}`
const GOOD = [
  ['Hairline crack on the rim, stable.', 'sound'],
  ['Lid warped by six millimetres since spring.', 'watch'],
  ['Active rust under the mudguards.', 'treat'],
] as const
const report = (set: string, more: Files = {}) => problemsOf({ 'examples/s.yaml': set, ...more }).map((p) => `${p.code}: ${p.message}`)

describe('a set is checked when the library opens', () => {
  const layout = 'input: "{note as fenced}"\nexpected: "Grade: {grade}"\n'
  const set = (...all: (readonly [string, string])[]) => `${FIELDS}${layout}${cases(...GOOD, ...all)}`

  test('and one that is well made raises nothing', () => {
    expect(report(set())).toEqual([])
  })

  test('for labels without a case, or with one where others have several', () => {
    expect(report(`${FIELDS}${layout}${cases(GOOD[0], GOOD[1])}`)).toEqual(['label-without-case: no case has the grade "treat"'])
    const more = [
      ['Paint flaking at the waterline.', 'watch'],
      ['Gasket hardened and crumbling.', 'watch'],
    ] as const
    expect(report(set(...more))).toEqual([
      'label-without-case: only one case has the grade "sound"',
      'label-without-case: only one case has the grade "treat"',
    ])
  })

  test('for a label that has most of the cases', () => {
    const many = Array.from({ length: 9 }, (_, i) => [`Shelf ${i}: ${'abcdefghi'[i]!.repeat(5)} dust in corner ${i * 7}`, 'watch'] as const)
    expect(report(set(...many)).filter((text) => text.startsWith('labels'))).toEqual([
      'labels-unbalanced: there are 10 times as many cases of "watch" as of "treat"',
    ])
  })

  test('for cases that contradict each other, and for near-copies', () => {
    expect(report(set(['HAIRLINE crack on the rim: stable!', 'watch']))).toEqual([
      'cases-contradict: cases 1 and 4 have the same input and different expected sides',
    ])
    expect(report(set(['Lid warped by six millimetres since the spring.', 'watch']))).toEqual([
      'cases-alike: cases 2 and 4 are nearly the same',
    ])
  })

  test('for a case that is far longer than the rest', () => {
    expect(
      report(set([`Dust, ${'and more dust, '.repeat(40)}everywhere.`, 'sound'])).filter((text) => text.startsWith('case-long')),
    ).toHaveLength(1)
  })

  test('for expected outputs that their layout cannot distinguish', () => {
    const two = (answer: string) =>
      `title: T\nfields: { ask: text, a: text, b: text }\ninput: "{ask}"\nexpected: ${JSON.stringify(answer)}\ncases: [{ ask: q, a: one two, b: three }]\n`
    expect(report(two('{a} {b}'))).toEqual([
      'expected-not-readable: the expected side of case 1, "one two three", cannot be read back by its layout',
    ])
    expect(report(two('{a}; {b}'))).toEqual([])
  })
})

describe('a set without layouts', () => {
  const rendered = (set: string, variables = '{ note: { type: text, untrusted: true } }') =>
    libraryFrom({ 'examples/s.yaml': set, 'prompts/p.yaml': `title: P\nvariables: ${variables}\nturns: [{ examples: s }, { input: s }]` })
      .prompt('p')
      .render(variables.includes('title') ? { note: 'Worm.', title: 'Bell' } : { note: 'Worm.' })
      .turns.map((turn) => turn.text)

  test('inputs what its last field does not answer, and expected it behind its name', () => {
    expect(rendered(`${FIELDS}${cases(GOOD[0])}`)).toEqual([
      '<note>\nHairline crack on the rim, stable.\n</note>',
      'Grade: sound',
      '<note>\nWorm.\n</note>',
    ])
  })

  test('sets several fields apart by their names', () => {
    const set =
      'fields: { title: text, made: { type: integer, optional: true }, note: text, kind-of: text }\ncases: [{ title: Bell, note: x, kind-of: boat }]\n'
    expect(rendered(set, '{ title: text, note: text }')).toEqual(['Title: Bell\nNote: x', 'Kind of: boat', 'Title: Bell\nNote: Worm.'])
  })

  test('expected in the form of the prompt’s output if `expected-form` is set', () => {
    const files = (output: string) => ({
      'examples/s.yaml': `${FIELDS}expected-form: output\n${cases(GOOD[1])}`,
      'outputs/o.yaml': output,
      'prompts/p.yaml': 'title: P\noutput: o\nvariables: { note: { type: text, untrusted: true } }\nturns: [{ examples: s }, { input: s }]',
    })
    const answer = (output: string) => libraryFrom(files(output)).prompt('p').render({ note: 'x' }).turns[1]?.text
    expect(answer('kind: one-of\nof: [sound, watch, treat]')).toBe('watch')
    expect(
      answer(
        'kind: fields\nshow: none\nfields: { grade: { type: choice, of: [sound, watch, treat] }, why: { type: text, optional: true } }',
      ),
    ).toBe('{"grade":"watch"}')
    expect(
      problemsOf(files('kind: fields\nshow: none\nfields: { mark: text }')).flatMap((p) => (p.severity === 'error' ? [p.message] : [])),
    ).toEqual(['the cases of "s" cannot be written in the form of "o": they have no field "mark"'])
  })

  describe('expected as rows and documents, from the columns that such an answer fills', () => {
    const files = (set: string, output: string) => ({
      'examples/s.yaml': `input: "{note}"\nexpected-form: output\n${set}`,
      'outputs/o.yaml': output,
      'prompts/p.yaml': 'title: P\noutput: o\nvariables: { note: text, town: text }\nturns: [{ examples: s }, { input: s }]',
    })
    const turns = (set: string, output: string) =>
      libraryFrom(files(set, output))
        .prompt('p')
        .render({ note: 'x', town: 'Selby Ness' })
        .turns.map(({ text }) => text)
    const errors = (set: string, output: string) =>
      problemsOf(files(set, output)).flatMap((p) => (p.severity === 'error' ? [`${p.code}: ${p.message}`] : []))
    const LIST = 'fields: { note: text, rows: { type: table, fields: { what: text, year: { type: integer, optional: true } } } }\n'
    const ROWS = 'kind: rows\nrow: "<what> (<year: integer>)"\ncount: { max: 3 }'
    const LETTER = 'kind: document\ntext: |\n  Dear friend,\n  <thanks: one line>\n  Yours, the house, <year: integer>'

    test('rows', () => {
      const set = `${LIST}cases: [{ note: a, rows: [{ what: Bell, year: 1890 }, { what: "Rope, tarred", year: 7 }] }]`
      expect(turns(set, ROWS)).toEqual(['a', 'Bell (1890)\nRope, tarred (7)', 'x'])
      // What stands between the passages may be the record's.
      expect(turns(set, 'kind: rows\nrow: "<what>, {town}, <year: integer>"')[1]).toBe(
        'Bell, Selby Ness, 1890\nRope, tarred, Selby Ness, 7',
      )
      const message = 'expected-form-invalid: the cases of "s" cannot be written in the form of "o": they have no field'
      expect(errors('fields: { note: text, rows: list of text }\ncases: [{ note: a, rows: [b] }]', ROWS)).toEqual([`${message} "rows"`])
      expect(errors(set, ROWS.replace('<what>', '<what> by <maker>'))).toEqual([`${message} "rows.maker"`])
    })

    test('a row that lacks a passage, and one too many, cannot be read', () => {
      const [text] = errors(`${LIST}cases: [{ note: a, rows: [{ what: Bell }] }]`, ROWS)
      expect(text).toMatch(/^case-unreadable: .*case 1/)
      const many = Array.from({ length: 4 }, () => '{ what: Bell, year: 1 }').join(', ')
      expect(errors(`${LIST}cases: [{ note: a, rows: [${many}] }]`, ROWS)).toEqual([expect.stringMatching(/^case-unreadable: /)])
    })

    test('a document, its passages each in its place', () => {
      const set = 'fields: { note: text, thanks: text, year: integer }\ncases: [{ note: a, thanks: For the bell., year: 1890 }]'
      expect(turns(set, LETTER)).toEqual(['a', 'Dear friend,\nFor the bell.\nYours, the house, 1890', 'x'])
      expect(errors(set.replace(', year: integer', '').replace(', year: 1890', ''), LETTER)).toEqual([
        'expected-form-invalid: the cases of "s" cannot be written in the form of "o": they have no field "year"',
      ])
    })

    test('a document that differs from record to record, whole', () => {
      const local = LETTER.replace('the house', '{town}')
      expect(errors('fields: { note: text, thanks: text, year: integer }\ncases: [{ note: a, thanks: b, year: 1 }]', local)).toEqual([
        'expected-form-invalid: the cases of "s" cannot be written in the form of "o": they have no field "document"',
      ])
      const whole = 'fields: { note: text, document: text }\ncases: [{ note: a, document: "Dear friend,\\nb\\nYours, Owlet Quay, 3" }]'
      expect(turns(whole, local)[1]).toBe('Dear friend,\nb\nYours, Owlet Quay, 3')
      // Where all documents have the same text around their passages, such an example has to have it too.
      expect(errors(whole, LETTER)).toEqual([expect.stringMatching(/^case-unreadable: /)])
    })
  })
})

describe('cases from a table', () => {
  const SET = `${FIELDS}${cases(GOOD[0])}from: ../data/notes.csv\n`
  const open = (rows: CaseRows | string) => libraryFrom({ 'examples/s.yaml': SET }, { tables: { 'data/notes.csv': rows } })
  const cells: CaseRows = {
    kind: 'cells',
    headings: ['Grade', 'Note', 'Object No.'],
    rows: [
      ['Watch', ' Lid warped. ', 'MH-1'],
      ['treat', 'Rust.', 'MH-2'],
    ],
  }

  test('are after those of the file, read like cells or as plain data', () => {
    const values = (rows: CaseRows) => open(rows).sets.get('s')!.rows.slice(1)
    expect(values(cells)).toEqual([
      ['Lid warped.', 'watch'],
      ['Rust.', 'treat'],
    ])
    expect(values({ kind: 'records', records: [{ note: 'Lid warped.', grade: 'watch' }] })).toEqual([['Lid warped.', 'watch']])
  })

  test('are reported with row and column if they do not match', () => {
    const bad: CaseRows = {
      ...cells,
      rows: [
        ['ruined', 'x', ''],
        ['watch', '', ''],
      ],
    }
    const problemsOf = (rows: CaseRows | string) =>
      open(rows)
        .problems.filter((p) => p.severity === 'error')
        .map((p) => [p.code, p.message, p.place?.line])
    expect(problemsOf(bad)).toEqual([
      ['case-row-invalid', 'data/notes.csv: row 1, column "Grade": "ruined" is not one of sound, watch, treat', 5],
      ['case-row-invalid', 'data/notes.csv: row 2, column "Note" is empty', 5],
    ])
    expect(problemsOf({ ...cells, headings: ['Grade', 'Remark', 'No'] })).toEqual([
      ['case-row-invalid', 'data/notes.csv: no column for "note"', 5],
    ])
    expect(problemsOf('no such file or folder')).toEqual([
      ['cases-missing', 'cannot read cases from "data/notes.csv": no such file or folder', 5],
    ])
  })

  test('move the fingerprint', () => {
    const print = (rows: CaseRows) => open(rows).fingerprint({ kind: 'example set', name: 's' })
    expect(print(cells)).not.toBe(print({ ...cells, rows: cells.rows.slice(1) }))
  })
})
