import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { parse, stringify } from 'yaml'
import { FILE_KINDS } from './index.js'
import { readLibraryFiles } from '../artefacts/read.js'
import type { Problem } from '../problems/problem.js'
import { isRecord } from '../values/data.js'

const demo = join(import.meta.dirname, '../../../../demo/marram-house')

const checks = new Map(
  FILE_KINDS.map(({ name, schema }) => [name, new Ajv2020({ strict: true, allowUnionTypes: true, strictRequired: false }).compile(schema)]),
)

/** The demo's files of a kind. */
function filesOf(files: string): string[] {
  const [folder, deep] = files.split('/**')
  if (deep === undefined) return [files]
  return readdirSync(join(demo, folder!), { recursive: true, encoding: 'utf8' })
    .filter((path) => path.endsWith('.yaml'))
    .map((path) => `${folder!}/${path}`)
}

/** Whether reading a file alone reports an unknown or missing key. */
function readingRefuses(path: string, data: unknown): boolean {
  const problems: Problem[] = []
  readLibraryFiles({ [path]: stringify(data) }, (p) => problems.push(p))
  return problems.some(({ code }) => code === 'key-unknown' || code === 'key-missing' || code === 'turn-key-misplaced')
}

/** All copies of the data in which one key is written wrongly. */
function* misspelt(data: unknown, at = ''): Generator<{ at: string; data: unknown }> {
  if (Array.isArray(data))
    for (const [i, item] of data.entries())
      for (const element of misspelt(item, `${at}/${i}`)) yield { ...element, data: data.with(i, element.data) as unknown }
  if (!isRecord(data)) return
  for (const key of Object.keys(data)) {
    const { [key]: value, ...rest } = data
    yield { at: `${at}/${key}`, data: { ...rest, [`${key}x`]: value } }
    for (const item of misspelt(value, `${at}/${key}`)) yield { ...item, data: { ...data, [key]: item.data } }
  }
}

test.each(FILE_KINDS)(
  'every $name file of the demo fits its schema, and with a misspelt key fits it as little as reading takes it',
  (kind) => {
    const check = checks.get(kind.name)!
    const files = filesOf(kind.files)
    let tried = 0
    for (const path of files) {
      const data = parse(readFileSync(join(demo, path), 'utf8')) as unknown
      expect({ path, fits: check(data), errors: check.errors }).toEqual({ path, fits: true, errors: null })
      for (const wrong of misspelt(data)) {
        tried++
        expect({ path, at: wrong.at, refused: !check(wrong.data) }).toEqual({
          path,
          at: wrong.at,
          refused: readingRefuses(path, wrong.data),
        })
      }
    }
    expect(tried).toBeGreaterThan(files.length * 2)
  },
)

test('every key of a schema has a description', () => {
  const silent: string[] = []
  const look = (schema: unknown, path: string): void => {
    if (Array.isArray(schema)) schema.forEach((value, i) => look(value, `${path}/${i}`))
    if (!isRecord(schema)) return
    const { properties, const: only } = schema as { properties?: Record<string, { description?: string }>; const?: unknown }
    if (only !== undefined) return
    for (const [key, value] of Object.entries(properties ?? {}))
      if (!value.description && !path.endsWith('/if')) silent.push(`${path}/${key}`)
    for (const [key, value] of Object.entries(schema)) look(value, `${path}/${key}`)
  }
  for (const { name, schema } of FILE_KINDS) look(schema, name)
  expect(silent).toEqual([])
})

test.each<[string, unknown, boolean]>([
  ['prompt', { title: 'T', turns: [{ user: 'x' }], tags: ['a'] }, true],
  ['prompt', { title: 'T', turns: [{ user: 'x' }], version: 3 }, false],
  ['prompt', { title: 'T', turns: [] }, false],
  ['prompt', { title: 'T', turns: [{ user: 'x', assistant: 'y' }] }, false],
  ['prompt', { title: 'T', 'based-on': 'a/b', turns: [{ user: 'x' }] }, false],
  ['prompt', { title: 'T', turns: [{ each: 'a in b', turns: [{ history: { from: 'h', fence: 'f' } }] }] }, true],
  ['snippet', { text: 'x', variables: { a: 'list of list of text', b: { type: 'record', fields: { c: 'turnip' } } } }, false],
  ['output', { kind: 'rows', row: '<a>', count: { min: 1, max: '{most}' } }, true],
  ['output', { kind: 'rows', text: '<a>' }, false],
  ['output', { kind: 'fields', 'based-on': 'a' }, true],
  ['output', { kind: 'fields', fields: { a: { type: 'text', untrusted: true } } }, false],
  ['batch', { prompt: 'a', records: { from: 'a.csv', format: 'ods' } }, false],
  ['library', { screens: [{ 'applies-to': 'reply', finds: 'tokens' }] }, false],
  ['models', { models: { a: { url: 'http://a', answer: 'said' } } }, false],
])('a %s of %j fits: %s', (name, data, fits) => {
  expect(checks.get(name)!(data)).toBe(fits)
})
