import { readdirSync, readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { FORMATS } from 'dunelight/parts'
import { parse } from 'yaml'
import { indent, written, type Files } from './support.js'

const page = readFileSync('docs/language.md', 'utf8')

interface Example {
  readonly text: string
  readonly gives: string
  readonly variables?: unknown
  readonly values?: Record<string, unknown>
  readonly files?: Files
  readonly record?: string
}
const examples = [...page.matchAll(/^(#+ .*)$|```yaml example\n([^]*?)```/gm)].reduce<{ under: string; found: [string, Example][] }>(
  ({ under, found }, [, heading, example]) =>
    heading !== undefined
      ? { under: heading, found }
      : { under, found: [...found, [`${under}, example ${found.length + 1}`, parse(example ?? '') as Example]] },
  { under: '', found: [] },
).found

describe('the language page', () => {
  test.each(examples)('%s', (_name, { text, gives, variables = {}, values = {}, files = {}, record }) => {
    const prompt = `title: T\nvariables: ${JSON.stringify(variables)}\nturns:\n  - user: |\n${indent(text)}\n`
    expect(written({ ...files, 'prompts/p.yaml': prompt }, values, record === undefined ? {} : { record })).toBe(gives.trimEnd())
  })

  test('has an example in every section', () => {
    for (const section of ['1', '2', '3', '4', '5', '6', '8'])
      expect(examples.some(([name]) => name.startsWith(`## ${section}.`))).toBe(true)
  })

  test('lists every format', () => {
    for (const { name } of FORMATS) expect(page).toMatch(new RegExp(`\\| \`${name}[ \`]`))
  })

  test('shows the grammar that is above the functions that read it', () => {
    const folders = ['packages/core/src/text', 'packages/core/src/text/directives']
    const files = folders.flatMap((folder) =>
      readdirSync(folder)
        .filter((name) => name.endsWith('.ts'))
        .map((name) => readFileSync(`${folder}/${name}`, 'utf8')),
    )
    const productions = files.flatMap((file) =>
      [...file.matchAll(/^ *(?:\/\*\*| \*) ((?:[a-z-]+ = | {5} +\| ).*?)(?: \*\/)?$/gm)].map((m) => m[1]!),
    )
    const shown = /<!-- grammar -->\n\n```\n([^]*?)\n```/.exec(page)?.[1]?.split('\n') ?? []
    expect(productions.length).toBeGreaterThan(12)
    expect([...shown].sort()).toEqual([...productions].sort())
  })
})
