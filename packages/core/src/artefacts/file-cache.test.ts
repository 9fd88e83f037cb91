import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { FileCache } from '../host.js'
import { libraryFrom, type Problem } from '../index.js'

const FILES = {
  'prompts/label.yaml':
    'title: Label\npersona: registrar\nvariables: { title: text }\nturns:\n  - system: |\n      ~ use persona\n      ~ use house/style\n  - user: "{title}"\n',
  'prompts/child.yaml': 'title: Child\nbased-on: label\nadd-turns: [{ user: "Be brief." }]\n',
  'snippets/house/style.md': 'Plain words.\n',
  'personas/registrar.yaml': 'who: You are the registrar.\n',
}
/** What a user might type into a file in the middle of other work. */
const TEXTS = [
  'title: Label\nturns: [{ user: "{titel}" }]\n',
  'title: Label\nvariables: { title: text }\nturns: [{ user: "{title as upper}" }]\n',
  'tilte: x\n',
  'title: [\n',
  'who: You are nobody.\n',
  'Fancy words {title}\n',
  '',
]

const stated = (problems: readonly Problem[]) => problems.map((p) => [p.code, p.message, p.place?.file, p.place?.line, p.place?.column])

describe('files that are cache between two openings', () => {
  test('make no difference to what is found or rendered, whatever is written into which file', () => {
    const edit = fc.tuple(fc.constantFrom(...Object.keys(FILES), 'dunelight.yaml'), fc.constantFrom(...TEXTS, 'limits: { nesting: 3 }\n'))
    fc.assert(
      fc.property(fc.array(edit, { minLength: 1, maxLength: 8 }), (edits) => {
        const cache = new FileCache()
        let files: Record<string, string> = { ...FILES }
        for (const [path, text] of edits) {
          files = { ...files, [path]: text }
          const [repeated, anew] = [libraryFrom(files, { cache }), libraryFrom(files)]
          expect(stated(repeated.problems)).toEqual(stated(anew.problems))
          for (const name of anew.artefacts.prompts.keys()) {
            const rendered = [repeated, anew].map((library) => {
              try {
                return library
                  .prompt(name)
                  .render({ title: 'Lamp' })
                  .turns.map((turn) => [turn.text, turn.origins.map((o) => [o.kind, o.end, o.place])])
              } catch (fault) {
                return String(fault)
              }
            })
            expect(rendered[0]).toEqual(rendered[1])
          }
        }
      }),
      { numRuns: 60 },
    )
  })

  test('are read again only where their text is another, or the limits are', () => {
    const cache = new FileCache()
    const first = libraryFrom(FILES, { cache })
    const second = libraryFrom({ ...FILES, 'snippets/house/style.md': 'Other words.\n' }, { cache })
    expect(second.artefacts.prompts.get('label')).toBe(first.artefacts.prompts.get('label'))
    expect(second.artefacts.snippets.get('house/style')).not.toBe(first.artefacts.snippets.get('house/style'))
    const third = libraryFrom({ ...FILES, 'dunelight.yaml': 'limits: { nesting: 3 }\n' }, { cache })
    expect(third.artefacts.prompts.get('label')).not.toBe(first.artefacts.prompts.get('label'))
  })
})
