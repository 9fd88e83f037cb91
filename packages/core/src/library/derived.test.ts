import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import { problemsOf, written, type Files } from '../../../../test/support.js'

const BASE = `title: Base
variables:
  item: { type: record, fields: { title: text, made: integer } }
  task: text
turns:
  - system: Be plain.
  - user: "{task} {item.title}, {item.made}"
    name: question
`
const derived = (keys: string, more: Files = {}): Files => ({
  'prompts/base.yaml': BASE,
  'prompts/p.yaml': `title: P\nbased-on: base\n${keys}`,
  ...more,
})
const item = { title: 'Buoy bell', made: 1911 }

describe('a prompt based on another', () => {
  test('binds, replaces, adds, and takes another persona, output, locale and settings', () => {
    const files = derived(
      'bind: { task: "Write about the {kind}" }\nvariables: { kind: text }\nadd-turns: [{ assistant: "Heading:" }]\nsettings: { temperature: 0 }\nlocale: de\n',
    )
    expect(written(files, { item, kind: 'bell' })).toBe('Be plain.\n=====\nWrite about the bell Buoy bell, 1911\n=====\nHeading:')
    expect(libraryFrom(files).prompt('p').settings).toEqual({ temperature: 0 })
    expect(
      libraryFrom(files)
        .prompt('p')
        .variables.map((d) => d.name),
    ).toEqual(['item', 'kind'])
  })

  test('replaces turns within repeated turns', () => {
    const files = {
      'prompts/base.yaml': 'title: B\nvariables: { l: list of text }\nturns:\n  - each: x in l\n    turns: [{ user: "{x}", name: one }]\n',
      'prompts/p.yaml': 'title: P\nbased-on: base\nreplace: { one: { user: "{x as upper}" } }\n',
    }
    expect(written(files, { l: ['a'] })).toBe('A')
  })

  test('leaves out a variable that nothing needs any more', () => {
    const files = derived('replace: { question: { user: "{item.title}, {item.made}" } }\nwithout: [task]\n')
    expect([problemsOf(files), written(files, { item })]).toEqual([[], 'Be plain.\n=====\nBuoy bell, 1911'])
  })
})

describe('what a derived prompt breaks is its own fault, with both places', () => {
  const places = (files: Files) =>
    problemsOf(files).map((p) => [
      p.message,
      `${p.place?.file}:${p.place?.line}`,
      ...p.related.map((r) => `${r.message} ${r.span.source.place(r.span.start).file}:${r.span.source.place(r.span.start).line}`),
    ])

  test('a variable of the base that it dropped', () => {
    const files = derived('without: [task]\n')
    expect(places(files)).toEqual([
      [
        'a text of "base" needs "task", which this prompt drops',
        'prompts/p.yaml:3',
        'needed here: unknown variable "task" prompts/base.yaml:7',
      ],
    ])
    expect(written({ ...files, 'prompts/q.yaml': 'title: Q\nturns: [{ user: x }]' }, { item, task: 'x' })).toBe('!base-needs')
    expect(libraryFrom(files).prompt('base').render({ item, task: 'Write.' }).turns).toHaveLength(2)
  })

  test('a record that it declared with fewer fields', () => {
    expect(places(derived('variables:\n  item: { type: record, fields: { title: text } }\n'))).toEqual([
      [
        'a text of "base" does not work with "item" as this prompt declares it',
        'prompts/p.yaml:4',
        'needed here: unknown field "made" of "item" prompts/base.yaml:7',
      ],
    ])
  })

  test('a binding, a replaced turn or a dropped variable that the base does not have', () => {
    for (const keys of ['bind: { tsak: x }', 'without: [tsak]'])
      expect(places(derived(`${keys}\n`))).toEqual([
        ['the base has no "tsak"', 'prompts/p.yaml:3', 'the base "base" is declared here prompts/base.yaml:1'],
      ])
    expect(problemsOf(derived('replace: { questoin: { user: x } }\n')).map((p) => p.hint)).toEqual(['did you mean "question"?'])
  })

  test('an untrusted text that it binds to the base’s', () => {
    const files = derived('bind: { task: "{note}" }\nvariables: { note: { type: text, untrusted: true } }\n')
    expect(places(files)).toEqual([
      ['"task" is untrusted and not fenced', 'prompts/base.yaml:7', 'in "p", which is based on this prompts/p.yaml:2'],
    ])
    expect(libraryFrom(files).prompt('base').render({ item, task: 'Write.' }).turns).toHaveLength(2)
  })
})
