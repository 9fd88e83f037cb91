import { describe, expect, test } from '@jest/globals'
import { acceptedCase } from '../host.js'
import { libraryFrom } from '../index.js'

const files = {
  'outputs/card.yaml': 'kind: fields\nfields: { heading: text, body: text }\n',
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]\n',
  'outputs/letter.yaml':
    'kind: document\ntext: |\n  # To {who}\n\n  <opening: one warm sentence>\n\n  ## Terms\n  <terms: what we ask>\n\n  Yours\n',
  'examples/notes.yaml':
    'title: Notes\nfields: { note: text, grade: { type: choice, of: [sound, watch] } }\ninput: "{note}"\nexpected: "{grade}"\ncases: [{ note: Whole., grade: sound }]\n',
  'prompts/card.yaml': 'title: C\noutput: card\nturns: [{ user: x }]\n',
  'prompts/letter.yaml': 'title: L\noutput: letter\nvariables: { who: text }\nturns: [{ user: "{who}" }]\n',
  'prompts/grade.yaml':
    'title: G\noutput: grade\nvariables: { item: { type: record, fields: { survey-note: text } } }\nturns:\n  - input: notes\n    with: { note: "{item.survey-note}" }\n',
  'prompts/strict.yaml': 'title: S\nbased-on: grade\nadd-turns: [{ user: Be strict. }]\n',
}
const library = libraryFrom(files)

describe('one part of an answer', () => {
  test('is replaced by another answer’s, and all else stays character by character', () => {
    const { form } = library.prompt('letter').render({ who: 'the Chapel' })
    const letter = (opening: string, terms: string) => `# To the Chapel\n\n${opening}\n\n## Terms\n${terms}\n\nYours\n`
    const [kept, other] = [letter('Dear all.', 'Gloves.'), letter('Good day.', 'Gloves, and no polish.')].map(
      (text) => form!.read(text).value,
    )
    expect(form!.parts).toEqual(['opening', 'terms'])
    expect(form!.write(form!.exchange(kept, other, 'terms')).trim()).toBe(letter('Dear all.', 'Gloves, and no polish.').trim())
    const card = library.prompt('card').form()!
    expect(card.exchange({ heading: 'A', body: 'B' }, { heading: 'C', body: 'D' }, 'body')).toEqual({ heading: 'A', body: 'D' })
  })

  test('is a row, or a record in a list: the first of the other answer that says something new', () => {
    const of = (output: string) =>
      libraryFrom({ 'outputs/o.yaml': output, 'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]' }).prompt('p').form()!
    const rows = of('kind: rows\nrow: "<fact> (<year: integer>)"')
    const [lamp, bell, sail] = [
      { fact: 'The old brass lamp', year: 1890 },
      { fact: 'The bell of the school', year: 1911 },
      { fact: 'A sail with a tear', year: 1870 },
    ]
    const answer = (...rows: object[]) => ({ rows })
    expect(rows.partsOf(answer(lamp, bell))).toEqual(['rows.1', 'rows.2'])
    expect(rows.exchange(answer(lamp, bell), answer(bell, sail), 'rows.2')).toEqual(answer(lamp, sail))
    expect(rows.exchange(answer(lamp, bell), answer(sail, lamp, bell), 'rows.2')).toEqual(answer(lamp, sail))
    expect(() => rows.exchange(answer(lamp), answer(bell), 'rows.2')).toThrow('unknown part "rows.2" (parts: rows.1)')
    const fields = of('kind: fields\nfields: { title: text, parts: { type: list of record, fields: { fact: text } } }')
    const value = (...facts: string[]) => ({ title: 'T', parts: facts.map((fact) => ({ fact })) })
    expect(fields.partsOf(value('a b c', 'd e f'))).toEqual(['title', 'parts', 'parts.1', 'parts.2'])
    expect(fields.exchange(value('a b c', 'd e f'), value('x y z', 'g h i'), 'parts.2')).toEqual(value('a b c', 'g h i'))
  })

  test('is only what the output has', () => {
    const grade = library.prompt('grade').form()!
    expect(grade.parts).toEqual([])
    expect(() => grade.exchange({ label: 'sound' }, { label: 'watch' }, 'grade')).toThrow('unknown part "grade" (parts: none)')
    expect(() => library.prompt('card').form()!.exchange({}, {}, 'foot')).toThrow('unknown part "foot" (parts: heading, body)')
  })
})

describe('a settled answer as a case', () => {
  const set = library.artefacts.examples.get('notes')!
  const values = { item: { 'survey-note': 'Cracked.', grade: 'never taken' } }

  test('takes what the prompt asks the set with, a base’s too, and the answer before all', () => {
    for (const prompt of ['grade', 'strict'])
      expect(acceptedCase(set, library.artefacts.prompts, prompt, values, { grade: 'watch' })).toEqual({ note: 'Cracked.', grade: 'watch' })
  })

  test('takes a variable or a field of its name otherwise, and null where there is none', () => {
    expect(acceptedCase(set, library.artefacts.prompts, 'card', { row: { note: 'Worn.' } }, {})).toEqual({ note: 'Worn.', grade: null })
  })
})
