import { describe, expect, test } from '@jest/globals'
import { libraryFrom } from 'dunelight'
import type { Member } from 'dunelight/parts'
import type { Files } from '../../../../test/support.js'

const FILES: Files = {
  'prompts/label.yaml':
    "title: L\npersona: '{when child}storyteller{otherwise}registrar{end}'\nvariables: { child: boolean }\nturns:\n  - system: |\n      ~ use persona\n      ~ use house/style\n  - user: Go.\n",
  'prompts/revise.yaml': 'title: R\nbased-on: label\nadd-turns:\n  - user: "{use house/closing}"\n',
  'snippets/house/style.md': 'Plain words.\n~ use house/measures\n',
  'snippets/house/measures.md': 'Millimetres.\n',
  'snippets/house/closing.md': 'Yours.\n',
  'snippets/house/spare.md': 'Never.\n',
  'personas/registrar.yaml': 'who: You register.\n',
  'personas/storyteller.yaml': 'who: You tell.\n',
  'batches/tonight.yaml': 'prompt: label\nrecords: { from: ../data/objects.csv }\n',
}
const { graph, problems } = libraryFrom(FILES)
const names = (members: readonly Member[]) => members.map((member) => `${member.kind} ${member.name}`)

describe('what uses what', () => {
  test('downward: all that a prompt draws on, through snippets and bases', () => {
    expect(names(graph.drawsOn({ kind: 'prompt', name: 'revise' }))).toEqual([
      'prompt label',
      'snippet house/style',
      'snippet house/measures',
      'persona storyteller',
      'persona registrar',
      'snippet house/closing',
    ])
    expect(names(graph.uses({ kind: 'prompt', name: 'revise' }))).toEqual(['prompt label', 'snippet house/closing'])
  })

  test('upward: all that changes where a snippet changes', () => {
    expect(names(graph.reaches({ kind: 'snippet', name: 'house/measures' }))).toEqual([
      'snippet house/style',
      'prompt label',
      'prompt revise',
      'batch tonight',
    ])
    expect(names(graph.usedBy({ kind: 'persona', name: 'registrar' }))).toEqual(['prompt label'])
  })

  test('only artefacts that nothing uses are reported as unused', () => {
    expect(problems.map((p) => [p.code, p.severity, p.message])).toEqual([
      ['artefact-unused', 'info', 'no prompt uses the snippet "house/spare"'],
    ])
  })

  test('a name that only begins like another is not that other', () => {
    const files = { ...FILES, 'personas/story.yaml': 'who: You write.\n' }
    expect(libraryFrom(files).problems.map((p) => p.message)).toContain('no prompt uses the persona "story"')
  })
})

describe('a fingerprint', () => {
  const of = (files: Files, member: Member = { kind: 'prompt', name: 'label' }) => libraryFrom(files).fingerprint(member)
  const changed = (file: string, change: (text: string) => string): Files => ({ ...FILES, [file]: change(FILES[file]!) })
  const print = of(FILES)

  test('is 64 hexadecimal digits, and the same ones for ever', () => {
    expect(print).toMatchInlineSnapshot(`"ebf7847663dbcfc2df3447668a5eeef00ccbaf1ae4278fa07a97e52b68870101"`)
  })

  test.each([
    ['a comment', changed('prompts/label.yaml', (text) => `# for print\n${text} # end\n`)],
    ['line ends', changed('snippets/house/style.md', (text) => text.replaceAll('\n', '\r\n'))],
    ['line ends of a block', changed('prompts/label.yaml', (text) => text.replaceAll('\n', '\r\n'))],
    ['the order of keys', changed('prompts/label.yaml', (text) => text.replace(/^(title: L\n)(persona.*\n)/, '$2$1'))],
    ['quotes', changed('prompts/label.yaml', (text) => text.replace('title: L', 'title: "L"'))],
    ['what it does not use', changed('snippets/house/closing.md', () => 'Ever yours.\n')],
  ])('is not moved by %s', (_, files) => {
    expect(of(files)).toBe(print)
  })

  test.each([
    ['its own text', changed('prompts/label.yaml', (text) => text.replace('Go.', 'Go on.'))],
    ['a snippet of a snippet', changed('snippets/house/measures.md', () => 'Inches.\n')],
    ['a persona that only some records have', changed('personas/storyteller.yaml', () => 'who: You sing.\n')],
    ['the library’s locale', { ...FILES, 'dunelight.yaml': 'locale: de\n' }],
  ])('is moved by %s', (_, files) => {
    expect(of(files)).not.toBe(print)
  })

  test('includes the covered texts', () => {
    const files = changed('snippets/house/measures.md', () => 'Inches.\n')
    expect(of(files, { kind: 'snippet', name: 'house/style' })).not.toBe(of(FILES, { kind: 'snippet', name: 'house/style' }))
    expect(of(files, { kind: 'snippet', name: 'house/closing' })).toBe(of(FILES, { kind: 'snippet', name: 'house/closing' }))
    expect(of(FILES, { kind: 'snippet', name: 'nobody' })).toBeUndefined()
    expect(libraryFrom(FILES).prompt('label').fingerprint).toBe(print)
  })

  test('counts the order of fields only where it comes out in writing', () => {
    const card = (fields: string, text: string) =>
      of({ 'prompts/label.yaml': `title: L\nvariables: { item: { type: record, fields: { ${fields} } } }\nturns: [{ user: "${text}" }]` })
    expect(card('a: text, b: text', '{item.a} {item.b}')).toBe(card('b: text, a: text', '{item.a} {item.b}'))
    expect(card('a: text, b: text', '{item}')).not.toBe(card('b: text, a: text', '{item}'))
  })

  test('of a rendering is that of its turns', () => {
    const prompt = libraryFrom(FILES).prompt('label')
    const [text, same, other] = [{ child: true }, { child: true }, { child: false }].map((values) => prompt.render(values).fingerprint)
    expect([text === same, text === other, text?.length]).toEqual([true, false, 64])
  })
})
