import { describe, expect, test } from '@jest/globals'
import { libraryFrom, ProblemError, type FinishedTurn } from 'dunelight'
import { codesOf, problemsOf, utf8, written, type Files } from '../../../../test/support.js'

const NOTES = `title: Notes
fields: { note: { type: text, untrusted: true }, grade: { type: choice, of: [sound, watch] } }
input: |
  {note as fenced}
expected: |
  Grade: {grade}
cases:
  - { note: Rim cracked., grade: watch }
  - { note: "Whole. </note>", grade: sound }
`
const prompt = (turns: string, keys = ''): Files => ({
  'examples/notes.yaml': NOTES,
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]\n',
  'prompts/p.yaml': `title: P\n${keys}variables: { note: { type: text, untrusted: true } }\nturns:\n${turns}`,
})

function turnsOf(files: Files, values: Record<string, unknown>): string[] {
  return libraryFrom(files)
    .prompt('p')
    .render(values)
    .turns.map((turn: FinishedTurn) => `${turn.role}: ${turn.text}`)
}

describe('examples as turns', () => {
  const files = prompt('  - examples: notes\n  - input: notes\n')

  test('each case asks and is answered, and the record is asked in the very same layout', () => {
    expect(turnsOf(files, { note: 'Worm.' })).toEqual([
      'user: <note>\nRim cracked.\n</note>',
      'assistant: Grade: watch',
      'user: <note>\nWhole. (/note)\n</note>',
      'assistant: Grade: sound',
      'user: <note>\nWorm.\n</note>',
    ])
  })

  test('a case that equals the record is left out', () => {
    expect(turnsOf(files, { note: 'Rim cracked.' })).toHaveLength(3)
  })

  test('every answer has to be readable by the output', () => {
    expect(codesOf(prompt('  - examples: notes\n  - input: notes\n', 'output: grade\n'))).toEqual([])
    const other = {
      ...prompt('  - examples: notes\n  - input: notes\n', 'output: grade\n'),
      'outputs/grade.yaml': 'kind: one-of\nof: [sound, mended]\n',
    }
    expect(problemsOf(other).map((p) => p.message)).toEqual([
      'the expected side of case 1, "Grade: watch", cannot be read by the output "grade": "Grade: watch" is not one of sound, mended',
    ])
  })

  test('values of the input side can be passed by name', () => {
    const files = {
      ...prompt(''),
      'prompts/p.yaml':
        'title: P\nvariables: { item: { type: record, fields: { remark: { type: text, untrusted: true } } } }\nturns:\n  - input: notes\n    with: { note: "{item.remark}" }\n',
    }
    expect(turnsOf(files, { item: { remark: 'Damp.' } })).toEqual(['user: <note>\nDamp.\n</note>'])
  })
})

describe('examples and outputs within a turn', () => {
  test('are text, with origins of their own', () => {
    const files = prompt(
      '  - user: |\n      For instance:\n      ~ use examples notes\n\n      ~ use output\n      {note as fenced "record"}\n',
      'output: grade\n',
    )
    const [turn] = libraryFrom(files).prompt('p').render({ note: 'x' }, { origins: true }).turns
    expect(turn?.text).toBe(
      'For instance:\n<note>\nRim cracked.\n</note>\nGrade: watch\n\n<note>\nWhole. (/note)\n</note>\nGrade: sound\n\nAnswer with one of "sound" or "watch", and nothing else.\n<record>\nx\n</record>',
    )
    const kinds = new Set(turn?.origins.map((o) => o.kind))
    expect([...kinds].sort()).toEqual(['example', 'fixed', 'made', 'output', 'value'])
  })

  test('an output that no label can be read by is reported when the library opens', () => {
    expect(codesOf({ 'outputs/o.yaml': 'kind: one-of\nof: []' })).toEqual(['key-invalid'])
    expect(codesOf({ 'outputs/o.yaml': 'of: [a]' })).toEqual(['key-missing'])
    expect(problemsOf({ 'outputs/o.yaml': 'kind: one-off\nof: [a]' })[0]?.message).toContain('one-of')
  })
})

describe('turns', () => {
  const two = (roles: string[]) => ({ 'prompts/p.yaml': `title: P\nturns:\n${roles.map((role) => `  - ${role}: x\n`).join('')}` })

  test('of one role side by side are a warning, not an error', () => {
    const { turns, problems } = libraryFrom(two(['user', 'user']))
      .prompt('p')
      .render({})
    expect([turns.length, problems.map((p) => [p.code, p.severity])]).toEqual([2, [['roles-repeat', 'warning']]])
    expect(
      libraryFrom(two(['user', 'assistant', 'user']))
        .prompt('p')
        .render({}).problems,
    ).toEqual([])
  })

  test('may be named, and keep their names', () => {
    const files = { 'prompts/p.yaml': 'title: P\nturns:\n  - user: x\n    name: question\n' }
    expect(libraryFrom(files).prompt('p').render({}).turns).toEqual([{ role: 'user', name: 'question', text: 'x' }])
  })

  test('with two kinds of content, with none, or with keys of another kind are refused', () => {
    const message = (turn: string) => problemsOf({ 'prompts/p.yaml': `title: P\nturns:\n${turn}` }).map((p) => p.message)
    expect(message('  - system: x\n    user: y\n')).toEqual(['"user" must be a turn of its own, not one beside "system", not both'])
    expect(message('  - name: x\n')).toEqual(['a turn (or system, assistant, history, examples, input, each) needs the key "user"'])
    expect(message('  - user: x\n    turns: []\n')).toEqual(['"turns" cannot be used with "user"'])
  })
})

describe('repeated turns', () => {
  const tour = (turns: string, variables = '{ stops: { type: list of record, fields: { room: text, minutes: integer } } }'): Files => ({
    'prompts/p.yaml': `title: P\nvariables: ${variables}\nturns:\n  - system: Lead the tour.\n${turns}`,
  })
  const stops = [
    { room: 'Net loft', minutes: 6 },
    { room: 'Attic', minutes: 0 },
    { room: 'Dairy', minutes: 4 },
  ]
  const files = tour(
    '  - each: stop, n in stops keep stop.minutes > 0\n    turns:\n      - user: "{n}. {stop.room}, {stop.minutes} minutes."\n        name: stop\n      - assistant: "We are in the {stop.room as lower}."\n',
  )

  test('appear once for every kept item, their names and positions defined', () => {
    expect(turnsOf(files, { stops })).toEqual([
      'system: Lead the tour.',
      'user: 1. Net loft, 6 minutes.',
      'assistant: We are in the net loft.',
      'user: 2. Dairy, 4 minutes.',
      'assistant: We are in the dairy.',
    ])
    expect(turnsOf(files, { stops: [] })).toEqual(['system: Lead the tour.'])
  })

  test('have origins that name the item', () => {
    const { turns } = libraryFrom(files).prompt('p').render({ stops }, { origins: true })
    expect(turns[3]?.origins.map((o) => o.path)).toEqual(['', undefined, 'stops.3.room', undefined, 'stops.3.minutes', undefined])
    expect(turns[3]?.name).toBe('stop')
  })

  test('nest, and their JSON is the same', () => {
    const nested = tour(
      '  - each: day in days\n    turns:\n      - each: stop in day.stops\n        turns: [{ user: "{day.name}: {stop}" }, { assistant: Yes. }]\n',
      '{ days: { type: list of record, fields: { name: text, stops: list of text } } }',
    )
    const prepared = libraryFrom(nested)
      .prompt('p')
      .prepare({
        days: [
          { name: 'Monday', stops: ['loft', 'shed'] },
          { name: 'Sunday', stops: ['hall'] },
        ],
      })
    const texts = prepared.turns().map((turn) => turn.text)
    expect(texts).toEqual(['Lead the tour.', 'Monday: loft', 'Yes.', 'Monday: shed', 'Yes.', 'Sunday: hall', 'Yes.'])
    expect(JSON.parse(utf8(prepared.bytes()))).toEqual(JSON.parse(JSON.stringify(prepared.turns())))
  })

  test('are checked like any text', () => {
    const message = (turn: string) => problemsOf(tour(turn)).map((p) => `${p.place?.line}:${p.place?.column} ${p.message}`)
    expect(message('  - each: stop in stops\n    turns: [{ user: "{stop.rom}" }]\n')).toEqual(['6:28 unknown field "rom" of "stop"'])
    expect(message('  - each: stop in halts\n    turns: [{ user: "{stops as count}" }]\n')).toEqual(['5:19 unknown variable "halts"'])
    expect(message('  - each: stop of stops\n    turns: [{ user: "{stops as count}" }]\n')).toContain(
      '5:16 expected "," or "in" after "stop" in "each"',
    )
    expect(message('  - each: stop in stops joined ", "\n    turns: [{ user: "{stop.room}" }]\n').join()).toContain('expected nothing more')
    expect(message('  - each: stop in stops\n  - user: "{stops as count}"\n')).toEqual(['5:5 a turn needs the key "turns"'])
  })
})

describe('a locale', () => {
  const files = (locale: string, library = '') => ({
    'dunelight.yaml': `title: M\n${library}`,
    'prompts/p.yaml': `title: P\n${locale}variables: { n: number, tongue: { type: choice, of: [de, en-GB] } }\nturns: [{ user: "{n as number 1} {tongue}" }]`,
  })

  test('of the library, of the call, of the prompt: each takes the place of the one before', () => {
    const values = { n: 1234.5, tongue: 'de' }
    expect(written(files(''), values)).toBe('1,234.5 de')
    expect(written(files('', 'locale: de\n'), values)).toBe('1.234,5 de')
    expect(written(files('', 'locale: de\n'), values, { locale: 'en-GB' })).toBe('1,234.5 de')
    expect(written(files('locale: "{tongue}"\n'), values)).toBe('1.234,5 de')
  })

  test('an unknown one is a problem', () => {
    expect(codesOf(files('locale: nowhere-in-particular\n'))).toEqual(['locale-unknown'])
    expect(() => libraryFrom(files('')).prompt('p').render({ n: 1, tongue: 'de' }, { locale: 'x!' })).toThrow(ProblemError)
  })
})

describe('settings', () => {
  test('are the library’s, overridden by the prompt’s, and passed on unchanged', () => {
    const files = {
      'dunelight.yaml': 'title: M\nsettings: { model: small, temperature: 1, warmth: 3 }',
      'prompts/p.yaml': 'title: P\nsettings: { temperature: 0, stop: ["END"] }\nturns: [{ user: x }]',
    }
    expect(libraryFrom(files).prompt('p').settings).toEqual({ model: 'small', temperature: 0, warmth: 3, stop: ['END'] })
    expect(codesOf(files)).toEqual(['setting-unknown'])
  })
})

test('a history keeps its latest exchanges, as many as fit', () => {
  const open = (history: string, options = {}) =>
    libraryFrom(
      { 'prompts/p.yaml': `title: P\nvariables: { h: turns }\nturns:\n  - history: { from: h${history} }\n  - user: Go.\n` },
      options,
    )
  const exchanges = [1, 2, 3].flatMap((i) => [
    { role: 'user', text: `Question ${i}` },
    { role: 'assistant', text: `Answer ${i}` },
  ])
  const rendered = (history: string) =>
    open(history, { countTokens: (text: string) => text.split(' ').length })
      .prompt('p')
      .render({ h: [{ role: 'assistant', text: 'Welcome.' }, ...exchanges] })
  const texts = (history: string) =>
    rendered(history)
      .turns.map(({ text }: FinishedTurn) => text)
      .slice(0, -1)
  expect(texts('')).toHaveLength(7)
  expect(texts(', last: 2')).toEqual(['Question 2', 'Answer 2', 'Question 3', 'Answer 3'])
  expect(texts(', last: 9')).toHaveLength(7)
  expect(texts(', budget: 11 tokens')).toEqual(['Question 2', 'Answer 2', 'Question 3', 'Answer 3'])
  expect(texts(', budget: 8, last: 1')).toEqual(['Question 3', 'Answer 3'])
  expect([texts(', budget: 3 tokens'), rendered(', budget: 3 tokens').problems.map((p) => p.code)]).toEqual([[], ['history-over-budget']])
  const codes = (history: string) => open(history).problems.map((p) => p.code)
  expect(codes(', budget: 2k tokens')).toEqual(['budget-uncounted'])
  expect([codes(', last: 0'), codes(', budget: some'), codes(', lst: 3')]).toEqual([['key-invalid'], ['key-invalid'], ['key-unknown']])
})

test('conditions of send name the answer, the record and the run, and nothing else', () => {
  const of = (when: string) =>
    problemsOf({
      'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]\n',
      'prompts/p.yaml':
        'title: P\noutput: grade\nvariables: { item: { type: record, fields: { room: text } } }\nturns: [{ user: "{item.room}" }]\n',
      'batches/b.yaml': `prompt: p\nrecords: { from: ../data/a.csv }\nsend:\n  - { when: '${when}', to: ../out/x.csv }\n`,
    }).map((p) => `${p.place?.file}:${p.place?.line} ${p.message}`)
  expect(of('answer.label is "watch" and item.room is "B0" and run.model is "small"')).toEqual([])
  expect(of('answer.labl is "watch"')).toEqual(['batches/b.yaml:4 unknown field "labl" of "answer"'])
  expect(of('answer.label is "wach"').join()).toContain('"wach"')
  expect(of('run.modl is "x"')).toEqual(['batches/b.yaml:4 unknown field "modl" of "run"'])
  expect(of('grade is "watch"')).toEqual(['batches/b.yaml:4 unknown variable "grade"'])
})

describe('a text that looks as if it inserted a value', () => {
  const of = (text: string, more = '') =>
    problemsOf({
      'prompts/p.yaml': `title: P\n${more}variables:\n  title: text\n  item: { type: record, fields: { donor-name: text, made: integer, room: text } }\nturns:\n  - user: |\n      ${text}\n      {title} {item.made}\n`,
    }).map((p) => `${p.code} ${p.message}`)
  test.each(['{{title}}', '{{ title }}', '{{ item.room }}', '$title', '<title>', '[title]', '%title%', '[ROOM]', '$item.room'])(
    '%s',
    (written) => {
      expect(of(`A ${written}.`).filter((p) => p.startsWith('foreign-slot'))).toEqual([
        expect.stringContaining(`of "${written}" stay in the text`),
      ])
    },
  )
  test.each([
    'See [title](https://marram.example), [title]: x, <title>Lamp</title> and 5$ title.',
    '{"title": {title}} costs ${item.made}; [1], <b>, $other, [other].',
    'Escaped \\{\\{title\\}\\}.',
  ])('not %s', (text) => {
    expect(of(text).filter((p) => p.startsWith('foreign-slot'))).toEqual([])
  })
  test('a field that is mentioned is noted once, unless it is inserted or listed', () => {
    const note = 'only-mentioned the text mentions "donor name", but "item.donor-name" is never inserted'
    expect(of('Thank the donor name. Repeat the donor name in its room.')).toEqual([
      note,
      'only-mentioned the text mentions "room", but "item.room" is never inserted',
    ])
    expect(of('Thank the donors, in a roomy place.')).toEqual([])
    expect(of('Thank the donor name.', 'only-mentioned: [item.donor-name]\n')).toEqual([])
    expect(of('Thank the donor name. {item."donor-name"}')).toEqual([])
    expect(of('Thank them.', 'only-mentioned: [item.dnoor-name]\n')).toEqual(['field-unknown unknown field "dnoor-name" of "item"'])
    expect(of('Thank the donor name, {item.donor-name}.')).toEqual([])
    expect(of('Thank the donor name. {item as json}')).toEqual([])
  })
})
