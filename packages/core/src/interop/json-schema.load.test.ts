import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import { libraryFrom, ProblemError } from 'dunelight'
import { validator } from 'dunelight/json-schema'
import { printTypes, variablesFromSchema } from 'dunelight/parts'
import { times } from '../../../../test/house.js'

type Schema = Record<string, unknown>

const ajv = new Ajv2020({ strict: false })
;(addFormats as unknown as (to: Ajv2020) => void)(ajv)

function formOf(schema: unknown) {
  const library = libraryFrom(
    {
      'prompts/p.yaml': 'title: T\noutput: card\nturns: [{ user: "{use output}" }]',
      'outputs/card.schema.json': JSON.stringify(schema),
    },
    { validator },
  )
  expect(library.problems.map((p) => p.message)).toEqual([])
  return { library, form: library.prompt('p').form()! }
}

/** The answers by a schema: sampled and read back, in the strict profile too. */
function samplesOf(schema: Schema, count: number): unknown[] {
  const { form } = formOf(schema)
  const strict = ajv.compile(form.schema({ strict: true }))
  return Array.from({ length: count }, (_, seed) => {
    const sample = form.sample(seed)!
    const { value, problems, repairs } = form.read(sample)
    expect([problems, repairs]).toEqual([[], []])
    expect([strict(withNulls(value, schema, schema)), strict.errors]).toEqual([true, null])
    return value
  })
}

/** Null for each property that a value leaves out: what the strict profile demands. */
function withNulls(value: unknown, schema: unknown, root: Schema): unknown {
  const target = followed(schema, root)
  if (Array.isArray(value)) return value.map((item) => withNulls(item, target['items'], root))
  if (typeof value !== 'object' || value === null) return value
  const properties = target['properties'] as Schema | undefined
  if (!properties) return value
  return Object.fromEntries(
    Object.entries(properties).map(([name, property]) => [name, withNulls((value as Schema)[name] ?? null, property, root)]),
  )
}

function followed(schema: unknown, root: Schema): Schema {
  const reference = (schema as Schema | undefined)?.['$ref']
  if (typeof reference !== 'string') return (schema ?? {}) as Schema
  return reference
    .split('/')
    .slice(1)
    .reduce((target, step) => target[step] as Schema, root)
}

describe('schemas that contain themselves', () => {
  const tree = (count: number): Schema => ({
    type: 'object',
    properties: {
      name: { type: 'string' },
      size: { type: 'integer' },
      ...Object.fromEntries(Array.from({ length: count }, (_, i) => [`branch${i}`, { $ref: '#' }])),
      more: { type: 'array', items: { $ref: '#' }, maxItems: 2 },
    },
    required: ['name'],
    additionalProperties: false,
  })
  test.each([1, 2, 3, 12])('%i times', (count) => {
    const schema = tree(count)
    const { library, form } = formOf(schema)
    expect(form.schema()).toEqual(schema)
    expect(form.instruction.length).toBeLessThan(400 + count * 40)
    expect(form.schema({ strict: true })['properties']).toMatchObject({ branch0: { anyOf: [{ $ref: '#' }, { type: 'null' }] } })
    expect(samplesOf(schema, times(20, 300)).some((value) => JSON.stringify(value).includes('branch'))).toBe(true)
    // A repair within the third level, and its place.
    const { value, repairs } = form.read('{"name":"a","branch0":{"name":"b","branch0":{"name":"c","size":"7"}}}')
    expect(value).toEqual({ name: 'a', branch0: { name: 'b', branch0: { name: 'c', size: 7 } } })
    expect(repairs.map((repair) => [repair.message, repair.span!.start])).toEqual([
      ['"branch0.branch0.size" is "7", read as an integer', 63],
    ])
    expect(printTypes(library)).toContain('readonly branch0?: CardBranch0 | null')
    const { variables, problems } = variablesFromSchema(schema)
    expect(Object.keys(variables)).toHaveLength(count + 3)
    expect(problems[0]!.message).toContain('it contains itself')
  })
  test('by way of each other, and used twice at each of 40 levels', () => {
    const record = (...names: string[]): Schema => ({
      type: 'object',
      properties: Object.fromEntries(names.map((name, i) => [`${name}${i}`, { $ref: `#/$defs/${name}` }])),
    })
    const levels = Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`l${i}`, record(`l${i + 1}`, `l${i + 1}`)]))
    const schema = { ...record('l0', 'a'), $defs: { ...levels, l40: { type: 'integer' }, a: record('b', 'b'), b: record('a', 'a') } }
    expect(samplesOf(schema, times(10, 100)).length).toBeGreaterThan(0)
    expect(printTypes(formOf(schema).library).length).toBeLessThan(10_000)
    expect(variablesFromSchema(schema).problems.length).toBeGreaterThan(0)
    const joined = Object.fromEntries(
      Array.from({ length: 8 }, (_, i) => [`l${i}`, { allOf: [1, 2].map(() => ({ $ref: `#/$defs/l${i + 1}` })) }]),
    )
    const all = {
      type: 'object',
      properties: { a: { $ref: '#/$defs/l0' } },
      required: ['a'],
      $defs: { ...joined, l8: { type: 'integer' } },
    }
    expect(formOf(all).form.read('{"a":3}').value).toEqual({ a: 3 })
    expect(() => ajv.compile(formOf(all).form.schema({ strict: true }))).not.toThrow()
  })
  test('without an end have no sample, and say so', () => {
    const { form } = formOf({ ...tree(1), required: ['name', 'branch0'] })
    expect(() => form.sample(1)).toThrow(/contains itself without an end/)
    const { form: chosen } = formOf({ type: 'object', properties: { a: { anyOf: [{ $ref: '#' }, { const: 'leaf' }] } }, required: ['a'] })
    for (let seed = 0; seed < 30; seed++) expect(chosen.read(chosen.sample(seed)!).problems).toEqual([])
  })
})

test('samples keep to constants, formats, steps and open bounds', () => {
  const formats = ['date', 'date-time', 'time', 'email', 'uri', 'hostname', 'uuid', 'ipv4']
  const properties: Schema = {
    ...Object.fromEntries(formats.map((format) => [format, { type: 'string', format }])),
    fixed: { const: { a: [1] } },
    one: { enum: [1, null, 'x'] },
    above: { type: 'integer', exclusiveMinimum: 3, exclusiveMaximum: 6 },
    step: { type: 'number', multipleOf: 5, minimum: 5 },
    pair: { type: 'array', prefixItems: [{ type: 'integer' }, { type: 'string' }], items: false },
    either: { oneOf: [{ type: 'integer' }, { type: 'object', properties: { a: { type: 'string' } }, required: ['a'] }] },
  }
  const schema = { type: 'object', properties, required: Object.keys(properties), additionalProperties: false }
  expect(samplesOf(schema, times(50, 500)).length).toBeGreaterThan(0)
})

interface Group {
  readonly description: string
  readonly schema: unknown
  readonly tests: readonly { description: string; data: unknown; valid: boolean }[]
}

const SUITE = join(dirname(createRequire(import.meta.url).resolve('json-schema-test-suite/package.json')), 'tests/draft4')
const FILES = [
  'ref',
  'allOf',
  'anyOf',
  'oneOf',
  'not',
  'enum',
  'type',
  'required',
  'properties',
  'patternProperties',
  'additionalProperties',
  'additionalItems',
  'items',
  'pattern',
  'minLength',
  'maxLength',
  'minItems',
  'maxItems',
  'uniqueItems',
  'multipleOf',
  'optional/format',
]

/** The schema of an older draft in the words of 2020-12, as the property of an object; undefined where it needs another document. */
function asProperty(schema: unknown): unknown {
  if (Array.isArray(schema)) return schema.map(asProperty)
  if (typeof schema !== 'object' || schema === null) return schema
  const { items, additionalItems, $ref, ...rest } = schema as Schema
  const inner = Object.fromEntries(Object.entries(rest).map(([key, value]) => [key, asProperty(value)]))
  return {
    ...inner,
    ...(typeof $ref === 'string'
      ? { $ref: $ref.replace('#', '#/properties/value').replace(/\/items\/(?=\d)/, '/prefixItems/') }
      : $ref !== undefined && { $ref: asProperty($ref) }),
    ...(Array.isArray(items)
      ? { prefixItems: asProperty(items), ...(additionalItems !== undefined && { items: asProperty(additionalItems) }) }
      : items !== undefined && { items: asProperty(items) }),
  }
}

describe('the public test suite of JSON Schema', () => {
  test.each(FILES)('%s', (file) => {
    const groups = JSON.parse(readFileSync(join(SUITE, `${file}.json`), 'utf8')) as Group[]
    let read = 0
    for (const { description, schema, tests } of groups) {
      // Other documents are not followed; and by RFC 3986 a reference that begins with // is no URI, as the suite has it.
      if (/"\$ref":"http|"id":|"format":"uri"/.test(JSON.stringify(schema))) continue
      const whole = { type: 'object', properties: { value: asProperty(schema) }, required: ['value'] }
      const { form, library } = formOf(whole)
      expect(printTypes(library)).toContain('readonly value: ')
      expect(() => ajv.compile(form.schema({ strict: true }))).not.toThrow()
      for (const item of tests) {
        const { value, problems } = form.read(JSON.stringify({ value: item.data }))
        // A value that is nearly right is repaired, and a missing value is none.
        if (item.valid) expect([description, item.description, value]).toEqual([description, item.description, { value: item.data }])
        else if (problems.length === 0)
          expect([description, item.description, validator(whole)(value)]).toEqual([description, item.description, []])
        read++
      }
      for (let seed = 0; seed < times(3, 40); seed++) {
        try {
          expect(form.read(form.sample(seed)!).problems).toEqual([])
        } catch (fault) {
          if (!(fault instanceof ProblemError)) throw fault
          expect(fault.problems.map((p) => p.code)).toEqual(['sample-impossible'])
        }
      }
    }
    expect(read).toBeGreaterThan(2)
  })
})
