import { describe, expect, test } from '@jest/globals'
import { libraryFrom, ProblemError, type FinishedTurn } from 'dunelight'
import { codesOf, problemsOf, written, type Files } from '../../../../test/support.js'

const NOTES = `title: Notes
fields: { note: { type: text, outside: true }, grade: { type: choice, of: [sound, watch] } }
ask: |
  {note as fenced}
answer: |
  Grade: {grade}
cases:
  - { note: Rim cracked., grade: watch }
  - { note: "Whole. </note>", grade: sound }
`
const prompt = (turns: string, keys = ''): Files => ({
  'examples/notes.yaml': NOTES,
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]\n',
  'prompts/p.yaml': `title: P\n${keys}variables: { note: { type: text, outside: true } }\nturns:\n${turns}`,
})

function turnsOf(files: Files, values: Record<string, unknown>): string[] {
  return libraryFrom(files)
    .prompt('p')
    .render(values)
    .turns.map((turn: FinishedTurn) => `${turn.role}: ${turn.text}`)
}

describe('examples as turns', () => {
  const files = prompt('  - examples: notes\n  - ask: notes\n')

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
    expect(codesOf(prompt('  - examples: notes\n  - ask: notes\n', 'output: grade\n'))).toEqual([])
    const other = {
      ...prompt('  - examples: notes\n  - ask: notes\n', 'output: grade\n'),
      'outputs/grade.yaml': 'kind: one-of\nof: [sound, mended]\n',
    }
    expect(problemsOf(other).map((p) => p.message)).toEqual([
      'the answer of case 1, "Grade: watch", cannot be read by the output "grade": it names none of sound, mended',
    ])
  })

  test('values for the ask side may be handed over by name', () => {
    const files = {
      ...prompt(''),
      'prompts/p.yaml':
        'title: P\nvariables: { item: { type: record, fields: { remark: { type: text, outside: true } } } }\nturns:\n  - ask: notes\n    with: { note: "{item.remark}" }\n',
    }
    expect(turnsOf(files, { item: { remark: 'Damp.' } })).toEqual(['user: <note>\nDamp.\n</note>'])
  })
})

describe('examples and outputs within a turn', () => {
  test('stand as text, with origins of their own', () => {
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

  test('an output that no label can be read by is said when the library opens', () => {
    expect(codesOf({ 'outputs/o.yaml': 'kind: one-of\nof: []' })).toEqual(['key-unfit'])
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

  test('that this version cannot make are said, not passed over', () => {
    const says = (turn: string) => problemsOf({ 'prompts/p.yaml': `title: P\nturns:\n${turn}` }).map((p) => p.message)
    expect(says('  - user: x\n    attach: [guide]\n')).toEqual(['"attach" in a turn is not part of this version'])
    expect(says('  - system: x\n    user: y\n')).toEqual(['"user" takes a turn of its own, not one beside "system", not both'])
    expect(says('  - name: x\n')).toEqual([
      'a turn needs the key "user"'.replace('a turn needs', 'a turn (or system, assistant, history, examples, ask) needs'),
    ])
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

  test('that nobody knows is a problem', () => {
    expect(codesOf(files('locale: nowhere-in-particular\n'))).toEqual(['locale-unknown'])
    expect(() => libraryFrom(files('')).prompt('p').render({ n: 1, tongue: 'de' }, { locale: 'x!' })).toThrow(ProblemError)
  })
})

describe('settings', () => {
  test('are the library’s, and over them the prompt’s, handed on as they are', () => {
    const files = {
      'dunelight.yaml': 'title: M\nsettings: { model: small, temperature: 1, warmth: 3 }',
      'prompts/p.yaml': 'title: P\nsettings: { temperature: 0, stop: ["END"] }\nturns: [{ user: x }]',
    }
    expect(libraryFrom(files).prompt('p').settings).toEqual({ model: 'small', temperature: 0, warmth: 3, stop: ['END'] })
    expect(codesOf(files)).toEqual(['setting-unknown'])
  })
})
