import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import { libraryFrom, makeExampleSet, makeLibrary, makeOutput, makePersona, makePrompt, makeSnippet, ProblemError } from 'dunelight'
import { printTypes } from 'dunelight/parts'

const grade = makeOutput({ kind: 'one-of', of: ['sound', 'watch'] })
const card = makeOutput({ kind: 'fields', show: 'none', fields: { heading: 'text', made: { type: 'integer', optional: true } } })
const registrar = makePersona({ who: 'You are the registrar.', voice: ['plain', 'exact'] })
const notes = makeExampleSet({
  fields: { note: { type: 'text', untrusted: true }, grade: { type: 'choice', of: ['sound', 'watch'] } },
  input: '{note as fenced}',
  expected: 'Grade: {grade}',
  cases: [{ note: 'Rim cracked: "old".', grade: 'watch' }],
})
const style = makeSnippet({ variables: { words: { type: 'integer', default: 60 } }, text: 'At most {words} words.' })
const survey = makePrompt({
  title: 'Grade a note: once',
  about: 'Sorts notes.',
  variables: { note: { type: 'text', untrusted: true }, parts: 'list of text' },
  persona: registrar,
  output: grade,
  turns: [
    {
      system: `
        ~ use persona
        ~ each part in parts
          - {part}
        ~ end

        ~ use house/style with words = 20
      `,
    },
    { examples: notes },
    { input: notes, name: 'question' },
  ],
})
const once = makePrompt({ title: 'Once', variables: { parts: 'list of text', note: 'text' }, turns: [{ user: '{parts} {note}' }] })
const repeated = makePrompt({ 'based-on': once, title: 'Again', bind: { parts: 'rim' }, output: card })
const house = makeLibrary({
  title: 'Marram House',
  prompts: { 'survey/grade': survey, 'survey/once': once, 'survey/again': repeated },
  snippets: { 'house/style': style },
  personas: { registrar },
  examples: { notes },
  outputs: { grade, card },
})

describe('prompts in code', () => {
  test('render, and are checked, like those of files', () => {
    expect(house.problems.map((p) => p.code)).toEqual(['label-without-case'])
    const { turns } = house.prompt('survey/grade').render({ note: 'Worm.', parts: ['rim', 'base'] })
    expect(turns.map((turn) => turn.text)).toEqual([
      'You are the registrar.\nYour voice: plain and exact.\n- rim\n- base\n\nAt most 20 words.',
      '<note>\nRim cracked: "old".\n</note>',
      'Grade: watch',
      '<note>\nWorm.\n</note>',
    ])
    const plain: string = 'A {slot} of no literal type'
    const faulty = makeLibrary({ prompts: { p: makePrompt({ title: 'P', turns: [{ user: plain }] }) } })
    expect(faulty.problems.map((p) => [p.code, p.place?.file])).toEqual([['name-unknown', 'prompts/p.yaml']])
  })

  test('are the same when they are saved as YAML and read again', () => {
    const read = libraryFrom(house.files)
    expect(Object.keys(house.files).sort()).toEqual([
      'dunelight.yaml',
      'examples/notes.yaml',
      'outputs/card.yaml',
      'outputs/grade.yaml',
      'personas/registrar.yaml',
      'prompts/survey/again.yaml',
      'prompts/survey/grade.yaml',
      'prompts/survey/once.yaml',
      'snippets/house/style.yaml',
    ])
    for (const name of house.promptNames()) expect(read.prompt(name).fingerprint).toBe(house.prompt(name as 'survey/grade').fingerprint)
    expect(house.files['prompts/survey/grade.yaml']).toMatchInlineSnapshot(`
     "title: "Grade a note: once"
     about: Sorts notes.
     variables:
       note:
         type: text
         untrusted: true
       parts: list of text
     persona: registrar
     output: grade
     turns:
       - system: |
           ~ use persona
           ~ each part in parts
             - {part}
           ~ end

           ~ use house/style with words = 20
       - examples: notes
       - input: notes
         name: question
     "
    `)
  })

  test('name what the library lacks', () => {
    expect(() => makeLibrary({ prompts: { p: survey } })).toThrow(
      'the prompt "p" uses a persona that the library does not contain: add it under "personas"',
    )
  })

  test('read replies by the type of their output', () => {
    expect(house.prompt('survey/grade').read('Grade: Watch.').value).toEqual({ label: 'watch' })
    const { value, problems } = house.prompt('survey/grade').read('ruined')
    expect([value, problems.map((p) => p.message)]).toEqual([undefined, ['"ruined" is not one of sound, watch']])
    const cards = house.prompt('survey/again')
    expect(cards.read('{"heading": "Bell", "made": 1911}').value).toEqual({ heading: 'Bell', made: 1911 })
    expect(cards.read('{"heading": "Bell", "colour": "red"}').repairs.map((p) => p.message)).toEqual([
      '"colour" was not requested and is ignored',
    ])
    expect(cards.read('{"made": 1911}').problems.map((p) => p.message)).toEqual(['"heading" is missing'])
  })
})

describe('a prompt with several outputs', () => {
  const files = {
    'prompts/p.yaml': "title: P\nvariables: { long: boolean }\noutput: '{when long}a{otherwise}b{end}'\nturns: [{ user: Go. }]",
    'outputs/a.yaml': 'kind: one-of\nof: [x]',
    'outputs/b.yaml': 'kind: one-of\nof: [y]',
  }
  test('reads by the one that is named', () => {
    const prompt = libraryFrom(files).prompt('p')
    expect(prompt.read('y', { output: 'b' }).value).toEqual({ label: 'y' })
    expect(() => prompt.read('y')).toThrow('"p" has several outputs: a, b; name one')
    expect(() => prompt.read('y', { output: 'c' })).toThrow(
      expect.objectContaining({ problems: [expect.objectContaining({ code: 'output-unknown' })] }),
    )
  })
})

describe('types for a library of files', () => {
  const library = libraryFrom({ ...house.files, 'prompts/broken.yaml': 'title: B\nturns: [{ user: "{x}" }]' })

  test('declare what the valid prompts take and what their replies are', () => {
    expect(printTypes(library)).toMatchInlineSnapshot(`
     "// Generated by "dunelight types". Do not edit.

     /** The prompts of Marram House */
     export interface Prompts {
       /** Again */
       'survey/again': {
         readonly values: {
           readonly note: string
         }
         readonly reply: {
           readonly heading: string
           readonly made?: number | null
         }
       }
       /** Grade a note: once */
       'survey/grade': {
         readonly values: {
           readonly note: string
           readonly parts: readonly string[]
         }
         readonly reply: { readonly label: 'sound' | 'watch' }
       }
       /** Once */
       'survey/once': {
         readonly values: {
           readonly parts: readonly string[]
           readonly note: string
         }
         readonly reply: string
       }
     }
     "
    `)
    expect(() => library.prompt('broken')).toThrow(ProblemError)
  })
})

describe('the compiler', () => {
  const folder = mkdtempSync(join(process.cwd(), 'test', '.compiled-'))
  afterAll(() => rmSync(folder, { recursive: true, force: true }))

  test('reports wrong names in a program, and finds nothing wrong with the page’s', () => {
    const program = `import { libraryFrom, makePrompt, type Library } from 'dunelight'
import type { Prompts } from './prompts.js'
const item = { type: 'record', fields: { title: 'text', rooms: { type: 'list of record', fields: { code: 'text' } } } } as const
export const a = makePrompt({ title: 'A', variables: { item }, turns: [{ user: 'Write {itme.title}.' }] })
export const b = makePrompt({ title: 'B', variables: { item }, turns: [{ user: 'Write {item.titel}.' }] })
export const c = makePrompt({ title: 'C', variables: { item }, turns: [{ user: '{each room in item.rooms}{room.cod}{end}' }] })
export const d = makePrompt({ title: 'D', variables: { item }, turns: [{ user: '{each room in item.rooms}{room.code}{end} {item.title as upper}' }] })
export const house = libraryFrom({}) as unknown as Library<Prompts>
export const turns = house.prompt('survey/again').render({ note: 3 })
export const text: string = house.prompt('survey/again').read('').value?.heading ?? ''
`
    writeFileSync(join(folder, 'program.ts'), program)
    writeFileSync(join(folder, 'page.ts'), /```ts\n([^]*?)```/.exec(readFileSync('docs/code.md', 'utf8'))![1]!)
    writeFileSync(join(folder, 'prompts.d.ts'), printTypes(house))
    writeFileSync(
      join(folder, 'tsconfig.json'),
      JSON.stringify({ extends: '../../tsconfig.base.json', compilerOptions: { noEmit: true, customConditions: [] }, include: ['*.ts'] }),
    )
    const { stdout } = spawnSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', folder], { encoding: 'utf8' })
    const faults = stdout.split('\n').filter((line) => line.includes('error TS'))
    expect(faults).toHaveLength(4)
    expect(stdout).toContain('there is no variable \\"itme\\"')
    expect(stdout).toContain('\\"item\\" has no field \\"titel\\"')
    expect(stdout).toContain('\\"room\\" has no field \\"cod\\"')
    expect(faults[3]).toContain("Type 'number' is not assignable to type 'string'")
  })
})
