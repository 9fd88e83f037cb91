import { describe, expect, test } from '@jest/globals'
import { CompletionContext } from '@codemirror/autocomplete'
import { EditorState } from '@codemirror/state'
import { libraryFrom } from 'dunelight'
import { textsIn } from 'dunelight/parts'
import { completionsAt } from './complete.js'
import { diagnosticsOf } from './diagnostics.js'

const FILE = 'prompts/p.yaml'
const yaml = (text: string) => `title: T
variables:
  item: { type: record, fields: { title: text, made: integer } }
  audience: { type: choice, of: [adult, child] }
turns:
  - user: |
      ${text}
`
const files = { 'snippets/house/style.md': 'Plain.', 'personas/registrar.yaml': 'who: You.' }

/** What is offered at the bar in a line of a prompt, and how much of what was typed it takes the place of. */
function offered(line: string): { labels: string[]; typed: string } | undefined {
  const position = line.indexOf('|')
  const text = yaml(line.replace('|', ''))
  const library = libraryFrom({ ...files, [FILE]: yaml('x') })
  const known = {
    variables: textsIn(library, FILE).variables,
    snippets: [...library.artefacts.snippets.keys()],
    personas: [...library.artefacts.personas.keys()],
  }
  const state = EditorState.create({ doc: text })
  const cursor = text.indexOf(line.replace('|', '')) + position
  const result = completionsAt(new CompletionContext(state, cursor, true), known)
  return result ? { labels: result.options.map((o) => o.label), typed: text.slice(result.from, cursor) } : undefined
}

describe('completion', () => {
  test.each<[line: string, typed: string, labels: string[]]>([
    ['{it|', 'it', ['item', 'audience', 'when', 'use']],
    ['{item.|', '', ['title', 'made']],
    ['{item.ti|}', 'ti', ['title']],
    ['{item.title as up|}', 'up', ['upper', 'sentence-list', 'fenced']],
    ['{audience or it|}', 'it', ['item', 'audience']],
    ['~ us|', 'us', ['use', 'when', 'each', 'vary']],
    ['~ use ho|', 'ho', ['house/style', 'persona', 'output', 'persona registrar']],
    ['{use |', '', ['house/style']],
    ['~ when aud|', 'aud', ['item', 'audience']],
    ['~ each x in it|', 'it', ['item']],
    ['{when item.ma|', 'ma', ['made']],
  ])('%s', (line, typed, labels) => {
    const completions = offered(line)
    expect(completions?.typed).toBe(typed)
    expect(completions?.labels).toEqual(expect.arrayContaining(labels))
  })

  test.each(['plain wo|', 'after a {item} slo|', '{"json": "va|'])('offers nothing in %s', (line) => {
    const completions = offered(line)
    expect(completions === undefined || !completions.labels.includes('item')).toBe(true)
  })
})

describe('completion in an assembly', () => {
  const assembly = (line: string) => `title: A
variables: { loan: text, objects: { type: list of record, fields: { number: text } } }
parts:
  draft: { prompt: p }
  rest: { prompt: p }
${line}
text: |
  {loan}
`
  const known = () => {
    const library = libraryFrom({
      'prompts/p.yaml': 'title: P\noutput: o\nturns: [{ user: Go. }]',
      'prompts/q.yaml': 'title: Q\nturns: [{ user: Go. }]',
      'outputs/o.yaml': 'kind: fields\nfields: { points: list of text, verdict: text }',
      'assemblies/a.yaml': assembly('  last: { prompt: q, each: object in objects }'),
    })
    return { variables: textsIn(library, 'assemblies/a.yaml').variables, snippets: [], personas: [], prompts: library.promptNames() }
  }

  test.each<[line: string, typed: string, labels: string[]]>([
    ['  more: { prompt: |', '', ['p', 'q']],
    ['  more: { prompt: q, with: { text: dr|', 'dr', ['loan', 'objects', 'draft', 'rest', 'last']],
    ['  more: { prompt: q, with: { text: draft.po|', 'po', ['points', 'verdict']],
    ['  more: { prompt: q, each: object in ob|', 'ob', ['objects', 'last']],
    ['    when: draft.|', '', ['points', 'verdict']],
    ['    when: loan is not empty and dr|', 'dr', ['draft']],
    ['    otherwise: re|', 're', ['rest']],
    ['  # {last.a|', 'a', ['object', 'answer']],
  ])('%s', (line, typed, labels) => {
    const text = assembly(line.replace('|', ''))
    const cursor = text.indexOf(line.replace('|', '')) + line.indexOf('|')
    const result = completionsAt(new CompletionContext(EditorState.create({ doc: text }), cursor, true), known())
    expect(result && text.slice(result.from, cursor)).toBe(typed)
    expect(result?.options.map(({ label }) => label)).toEqual(expect.arrayContaining(labels))
  })

  test.each(['title: dr|', '  more: { candidates: |', 'about: what is in dr|'])('offers nothing in %s', (line) => {
    const text = assembly(line.replace('|', ''))
    const cursor = text.indexOf(line.replace('|', '')) + line.indexOf('|')
    const context = new CompletionContext(EditorState.create({ doc: text }), cursor, true)
    expect(completionsAt(context, known())).toBeNull()
  })
})

test('shows problems as squiggles in their own file, with the help below', () => {
  const text = yaml('{item.titel} {audiense}')
  const { problems } = libraryFrom({ ...files, [FILE]: text })
  const diagnostics = diagnosticsOf(problems, FILE, text.length).filter((d) => d.severity === 'error')
  expect(diagnostics.map((d) => [text.slice(d.from, d.to), d.message])).toEqual([
    ['titel', 'unknown field "titel" of "item"\ndid you mean "title"?'],
    ['audiense', 'unknown variable "audiense"\ndid you mean "audience"?'],
  ])
  expect(diagnosticsOf(problems, 'prompts/other.yaml', 10)).toEqual([])
})
