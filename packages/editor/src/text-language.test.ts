import { expect, test } from '@jest/globals'
import { EditorState } from '@codemirror/state'
import { parseText, Source } from 'dunelight/parts'
import { setTexts, tokenMarks } from './marks.js'
import { textLanguage } from './text-language.js'

/** The marked spans of a text, as `class: characters`. */
function marks(text: string): string[] {
  const state = EditorState.create({
    doc: text,
    extensions: [textLanguage({ known: () => ({ variables: [], snippets: [], personas: [] }) })],
  })
  const tree = parseText(new Source('text', text), () => undefined)
  const marked = state.update({ effects: setTexts.of([tree]) }).state
  const names: string[] = []
  const field = tokenMarks as unknown as Parameters<typeof marked.field>[0]
  const ranges = marked.field(field) as {
    between: (from: number, to: number, each: (from: number, to: number, mark: { spec: { class: string } }) => void) => void
  }
  ranges.between(0, text.length, (from, to, mark) => void names.push(`${mark.spec.class}: ${text.slice(from, to)}`))
  return names
}

test('marks what the language reads, and nothing else', () => {
  expect(marks('Dear {item.name as upper}, {"json": 1}\n~ when item.made < 1800 and item.kind is "lamp"\n\\{x}\n~ end')).toEqual([
    'dl-brace: {',
    'dl-variable: item.name',
    'dl-brace:  as ',
    'dl-format: upper',
    'dl-brace: }',
    'dl-directive: ~ when ',
    'dl-variable: item.made',
    'dl-directive:  < ',
    'dl-number: 1800',
    'dl-directive:  and ',
    'dl-variable: item.kind',
    'dl-directive:  is ',
    'dl-string: "lamp"',
    'dl-escape: \\{',
    'dl-directive: ~ end',
  ])
})

test('marks what cannot be read', () => {
  expect(marks('{a b} {aside a note}\n~ whne x')).toEqual(['dl-unread: {a b}', 'dl-aside: {aside a note}', 'dl-unread: ~ whne x'])
})
