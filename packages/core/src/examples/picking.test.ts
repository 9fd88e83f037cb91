import { describe, expect, test } from '@jest/globals'
import { libraryFrom, type LibraryOptions } from 'dunelight'
import { utf8 } from '../../../../test/support.js'

const NOTES: readonly (readonly [note: string, grade: string])[] = [
  ['Hairline crack on the rim, stable since last year.', 'sound'],
  ['Rust under the mudguards, active at the rear axle.', 'treat'],
  ['Lid warped by six millimetres, one becket frayed.', 'watch'],
  ['Rust on both hinges, brushed off, none since.', 'sound'],
  ['Woodworm holes along one edge, fresh frass below.', 'treat'],
  ['Woodworm holes, old, frass test in March was clean.', 'sound'],
  ['Saddle leather split along the nose.', 'watch'],
  ['Rust flakes on the artefacts, active, growing every week.', 'urgent'],
]
const files = (pick: string, turns = '[{ examples: notes }, { input: notes }]') => ({
  'examples/notes.yaml': `fields: { note: { type: text, untrusted: true }, grade: { type: choice, of: [sound, watch, treat, urgent] } }\npick: ${pick}\ncases:\n${NOTES.map(([note, grade]) => `  - { note: ${JSON.stringify(note)}, grade: ${grade} }\n`).join('')}`,
  'prompts/p.yaml': `title: P\nvariables: { note: { type: text, untrusted: true } }\nturns: ${turns}\n`,
})
const count = { countTokens: (text: string) => text.split(/\s+/).length }
const rendered = (pick: string, note: string, options: LibraryOptions = {}, more = {}) =>
  libraryFrom(files(pick), { ...count, ...options })
    .prompt('p')
    .render({ note }, more)
const picks = (pick: string, note: string, options: LibraryOptions = {}, more = {}) =>
  rendered(pick, note, options, more).picks[0]!.cases.map((pickedCase) => pickedCase.case)

const RUSTY = 'Active rust at the hinge, flakes on the artefacts.'

describe('picking', () => {
  test('takes all, or the first', () => {
    expect(picks('{ by: all }', RUSTY)).toEqual([1, 2, 3, 4, 5, 6, 7, 8])
    expect(picks('{ by: first, at-most: 3 }', RUSTY)).toEqual([1, 2, 3])
  })

  test('draws by the seed and the record, the same every time', () => {
    const drawn = (seed: number, record: string) => picks('{ by: seeded, at-most: 4 }', RUSTY, {}, { seed, record })
    expect(drawn(1, 'a')).toEqual(drawn(1, 'a'))
    expect(new Set([drawn(1, 'a'), drawn(2, 'a'), drawn(1, 'b'), drawn(3, 'c')].map(String)).size).toBeGreaterThan(2)
  })

  test('takes the nearest, the best last', () => {
    expect(picks('{ by: likeness, at-most: 3 }', RUSTY)).toEqual([1, 2, 8])
    expect(picks('{ by: likeness, at-most: 3, order: best-first }', RUSTY)).toEqual([8, 2, 1])
    expect(picks('{ by: likeness, at-most: 2 }', 'Fresh frass below, woodworm again.')).toEqual([6, 5])
  })

  test('spreads: near, but unlike one another', () => {
    expect(picks('{ by: likeness, at-most: 2, order: best-first }', 'Woodworm holes along an edge.')).toEqual([5, 6])
    expect(picks('{ by: spread, at-most: 2, order: best-first }', 'Woodworm holes along an edge.')).toEqual([5, 7])
  })

  test('covers every value of a field first', () => {
    const { cases } = rendered('{ by: likeness, at-most: 5, cover: grade, order: best-first }', RUSTY).picks[0]!
    expect(cases.map((pickedCase) => [pickedCase.case, pickedCase.why])).toEqual([
      [8, 'cover'],
      [2, 'cover'],
      [1, 'cover'],
      [4, 'rank'],
      [7, 'cover'],
    ])
    expect(cases[0]!.score).toBeGreaterThan(cases[1]!.score)
  })

  test('ends before the budget is over, and reports what it cut', () => {
    const { cases, cut } = rendered('{ by: likeness, at-most: 6, budget: 40 tokens }', RUSTY).picks[0]!
    expect([cases.length, cut]).toEqual([3, 3])
    expect(picks('{ by: first, budget: 12 }', RUSTY)).toEqual([3])
  })

  test('warns where the budget is too small for any case', () => {
    const { problems } = rendered('{ by: first, budget: 3 tokens }', RUSTY)
    expect(problems.map(({ message, hint }) => [message, hint])).toEqual([
      ['no case of "notes" was picked', expect.stringMatching(/^raise the budget: \d cases did not fit into it$/)],
    ])
  })

  test('groups labels, or mixes them', () => {
    const grades = (order: string) => picks(`{ by: likeness, at-most: 6, order: ${order} }`, RUSTY).map((pick) => NOTES[pick - 1]![1])
    const grouped = grades('grouped')
    expect(grouped.filter((grade, i) => grouped.indexOf(grade) !== i && grouped[i - 1] !== grade)).toEqual([])
    const mixed = grades('mixed')
    expect(mixed.slice(0, 3)).toEqual([...new Set(mixed.slice(0, 3))])
  })

  test('never takes the case that equals the record, and counts it', () => {
    for (const note of [NOTES[1]![0], 'RUST under the mudguards; active at the rear axle!'])
      for (const by of ['likeness', 'spread', 'first', 'seeded']) {
        const { cases, same } = rendered(`{ by: ${by}, at-most: 8 }`, note).picks[0]!
        expect([by, same, cases.length]).toEqual([by, [2], 7])
      }
  })

  test('takes the nearest case if its words are in another order, or one is missing', () => {
    for (const note of ['Active at the rear axle: rust under the mudguards', 'Rust under the mudguards, active at rear axle.'])
      expect([rendered('{ by: likeness, at-most: 1 }', note).picks[0]!.same, picks('{ by: likeness, at-most: 1 }', note)]).toEqual([
        [],
        [2],
      ])
  })

  test('warns where fewer are left than are wanted', () => {
    const { problems } = rendered('{ by: first, at-most: 8, at-least: 8 }', NOTES[0]![0])
    expect(problems.map((p) => [p.code, p.message])).toEqual([['picked-few', 'only 7 cases of "notes" were picked, fewer than 8']])
  })

  test('is the program’s own where it hands over a measure', () => {
    const likeness = { notes: (asked: string, cases: readonly string[]) => cases.map((text, i) => (asked.includes('flakes') ? i : -i)) }
    expect(picks('{ by: likeness, at-most: 2 }', RUSTY, { likeness })).toEqual([7, 8])
    expect(picks('{ by: likeness, at-most: 2 }', 'Lid.', { likeness })).toEqual([2, 1])
  })

  test('works in a script without spaces between words', () => {
    const set =
      'fields: { note: text, grade: text }\npick: { by: likeness, at-most: 1 }\ncases: [{ note: 蓋が反っている, grade: a }, { note: 縁にひびがある, grade: b }]\n'
    const library = libraryFrom({
      'examples/notes.yaml': set,
      'prompts/p.yaml': files('{}')['prompts/p.yaml'].replace(', untrusted: true', ''),
    })
    const pick = (note: string) => library.prompt('p').render({ note }).picks[0]!.cases[0]!.case
    expect([pick('小さなひび'), pick('蓋がない')]).toEqual([2, 1])
  })

  test('is the same as text, as turns and as JSON, and may be likened to another text', () => {
    const both = files('{ by: likeness, at-most: 1 }')
    both['prompts/p.yaml'] =
      'title: P\nvariables: { note: { type: text, untrusted: true }, hint: text }\nturns:\n  - examples: notes\n    to: "{hint}"\n  - user: |\n      {note as fenced "record"}\n      ~ use examples notes with to = hint\n'
    const prepared = libraryFrom(both).prompt('p').prepare({ note: 'x', hint: 'saddle leather' })
    const texts = prepared.turns().map((turn) => turn.text)
    expect(texts.slice(0, 2)).toEqual(['<note>\nSaddle leather split along the nose.\n</note>', 'Grade: watch'])
    expect(texts[2]).toContain('Saddle leather split along the nose.\n</note>\nGrade: watch')
    expect(JSON.parse(utf8(prepared.bytes()))).toEqual(JSON.parse(JSON.stringify(prepared.turns())))
  })

  test('begins the answer as its layout begins, if the prompt has begin-answer', () => {
    const library = libraryFrom(files('{ by: first, at-most: 1 }', '[{ examples: notes }, { input: notes, begin-answer: true }]'))
    expect(library.prompt('p').render({ note: 'x' }).turns.at(-1)).toMatchObject({ role: 'assistant', text: 'Grade:' })
  })
})
