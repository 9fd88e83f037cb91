import { describe, expect, test } from '@jest/globals'
import { libraryFrom, type CaseRows } from 'dunelight'
import { problemsOf, type Files } from '../../../../test/support.js'

const FIELDS = 'title: Notes\nfields: { note: { type: text, outside: true }, grade: { type: choice, of: [sound, watch, treat] } }\n'
const cases = (...all: (readonly [note: string, grade: string])[]) =>
  `cases:\n${all.map(([note, grade]) => `  - { note: ${JSON.stringify(note)}, grade: ${grade} }\n`).join('')}`
const GOOD = [
  ['Hairline crack on the rim, stable.', 'sound'],
  ['Lid warped by six millimetres since spring.', 'watch'],
  ['Active rust under the mudguards.', 'treat'],
] as const
const says = (set: string, more: Files = {}) => problemsOf({ 'examples/s.yaml': set, ...more }).map((p) => `${p.code}: ${p.message}`)

describe('a set is looked at when the library opens', () => {
  const layout = 'ask: "{note as fenced}"\nanswer: "Grade: {grade}"\n'
  const set = (...all: (readonly [string, string])[]) => `${FIELDS}${layout}${cases(...GOOD, ...all)}`

  test('and one that is well made raises nothing', () => {
    expect(says(set())).toEqual([])
  })

  test('for labels without a case, or with one where others have several', () => {
    expect(says(`${FIELDS}${layout}${cases(GOOD[0], GOOD[1])}`)).toEqual(['label-without-case: no case shows the grade "treat"'])
    const more = [
      ['Paint flaking at the waterline.', 'watch'],
      ['Gasket hardened and crumbling.', 'watch'],
    ] as const
    expect(says(set(...more))).toEqual([
      'label-without-case: only one case shows the grade "sound"',
      'label-without-case: only one case shows the grade "treat"',
    ])
  })

  test('for a label that has most of the cases', () => {
    const many = Array.from({ length: 9 }, (_, i) => [`Shelf ${i}: ${'abcdefghi'[i]!.repeat(5)} dust in corner ${i * 7}`, 'watch'] as const)
    expect(says(set(...many)).filter((one) => one.startsWith('labels'))).toEqual([
      'labels-lopsided: there are 10 times as many cases of "watch" as of "treat"',
    ])
  })

  test('for cases that contradict each other, and for near-copies', () => {
    expect(says(set(['HAIRLINE crack on the rim: stable!', 'watch']))).toEqual([
      'cases-contradict: cases 1 and 4 ask the same and answer differently',
    ])
    expect(says(set(['Lid warped by six millimetres since the spring.', 'watch']))).toEqual([
      'cases-alike: cases 2 and 4 are nearly the same',
    ])
  })

  test('for a case that is far longer than the rest', () => {
    expect(
      says(set([`Dust, ${'and more dust, '.repeat(40)}everywhere.`, 'sound'])).filter((one) => one.startsWith('case-long')),
    ).toHaveLength(1)
  })

  test('for answers that their layout cannot tell apart', () => {
    const two = (answer: string) =>
      `title: T\nfields: { ask: text, a: text, b: text }\nask: "{ask}"\nanswer: ${JSON.stringify(answer)}\ncases: [{ ask: q, a: one two, b: three }]\n`
    expect(says(two('{a} {b}'))).toEqual(['answer-not-read-back: the answer of case 1, "one two three", cannot be read back by its layout'])
    expect(says(two('{a}; {b}'))).toEqual([])
  })
})

describe('a set without layouts', () => {
  const rendered = (set: string, variables = '{ note: { type: text, outside: true } }') =>
    libraryFrom({ 'examples/s.yaml': set, 'prompts/p.yaml': `title: P\nvariables: ${variables}\nturns: [{ examples: s }, { ask: s }]` })
      .prompt('p')
      .render(variables.includes('title') ? { note: 'Worm.', title: 'Bell' } : { note: 'Worm.' })
      .turns.map((turn) => turn.text)

  test('asks what its last field does not answer, and answers it behind its name', () => {
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

  test('answers in the form of the prompt’s output where it says so', () => {
    const files = (output: string) => ({
      'examples/s.yaml': `${FIELDS}answer: output\n${cases(GOOD[1])}`,
      'outputs/o.yaml': output,
      'prompts/p.yaml': 'title: P\noutput: o\nvariables: { note: { type: text, outside: true } }\nturns: [{ examples: s }, { ask: s }]',
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
    ).toEqual(['the cases of "s" cannot be answered in the form of "o": they have no field "mark"'])
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

  test('stand behind those of the file, read like cells or as plain data', () => {
    const values = (rows: CaseRows) => open(rows).sets.get('s')!.rows.slice(1)
    expect(values(cells)).toEqual([
      ['Lid warped.', 'watch'],
      ['Rust.', 'treat'],
    ])
    expect(values({ kind: 'records', records: [{ note: 'Lid warped.', grade: 'watch' }] })).toEqual([['Lid warped.', 'watch']])
  })

  test('are said with row and column where they do not fit', () => {
    const bad: CaseRows = {
      ...cells,
      rows: [
        ['ruined', 'x', ''],
        ['watch', '', ''],
      ],
    }
    const found = (rows: CaseRows | string) =>
      open(rows)
        .problems.filter((p) => p.severity === 'error')
        .map((p) => [p.code, p.message, p.place?.line])
    expect(found(bad)).toEqual([
      ['case-row-unfit', 'data/notes.csv: row 1, column "Grade": "ruined" is not one of sound, watch, treat', 5],
      ['case-row-unfit', 'data/notes.csv: row 2, column "Note" is empty', 5],
    ])
    expect(found({ ...cells, headings: ['Grade', 'Remark', 'No'] })).toEqual([
      ['case-row-unfit', 'data/notes.csv: no column gives "note"', 5],
    ])
    expect(found('there is no such file or folder')).toEqual([
      ['cases-missing', 'no cases can be taken from "data/notes.csv": there is no such file or folder', 5],
    ])
  })

  test('move the fingerprint', () => {
    const print = (rows: CaseRows) => open(rows).fingerprint({ kind: 'example set', name: 's' })
    expect(print(cells)).not.toBe(print({ ...cells, rows: cells.rows.slice(1) }))
  })
})
