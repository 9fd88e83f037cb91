import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import formats from 'ajv-formats'
import { libraryFrom, makeLibrary, makePrompt } from 'dunelight'
import { schemaOf, variablesFromSchema, type Declarations, type JsonSchema } from 'dunelight/parts'

const DECLARED = {
  item: {
    type: 'record',
    about: 'one row of the register',
    fields: {
      number: { type: 'text', pattern: 'MH-\\d{4}', example: 'MH-0007' },
      note: { type: 'text', untrusted: true, 'min-length': 2, 'max-length': 400, 'max-words': 60 },
      made: { type: 'integer', min: 1500, max: 2100, optional: true },
      'Object No.': 'text',
    },
  },
  audience: { type: 'choice', of: ['adult', 'child'], default: 'adult', question: 'Who reads it?' },
  parts: { type: 'list of text', 'min-items': 1, 'max-items': 3, unique: true, splits: ',' },
  stops: { type: 'list of record', fields: { room: 'text' } },
  notes: { type: 'table', fields: { note: 'text', grade: { type: 'choice', of: ['sound', 'watch'] } } },
  weight: { type: 'number', min: 0.5 },
  shown: { type: 'boolean', reads: 'mark', optional: true },
  surveyed: { type: 'date', reads: 'd.M.yyyy', min: '2020-01-01' },
  at: 'date-time',
  guide: { type: 'file', media: ['text/markdown', 'application/pdf'], optional: true },
  earlier: { type: 'turns', optional: true, untrusted: true },
  anything: 'record',
} as const satisfies Declarations

const declaredOf = (variables: Declarations) => {
  const uses = Object.keys(variables).map((name) => `{when ${name}}x{end}`)
  const library = makeLibrary({ prompts: { p: makePrompt({ title: 'Card', variables, turns: [{ user: uses.join('') }] }) } })
  return library.prompt('p')
}
/** Declarations without their places. */
const bare = (declared: unknown): unknown =>
  JSON.parse(JSON.stringify(declared, (key, value: unknown) => (key === 'span' ? undefined : value)))

const VALUES = {
  item: { number: 'MH-0007', note: 'Dent above the port.', made: 1908, 'Object No.': '7' },
  parts: ['copper'],
  stops: [{ room: 'B0' }],
  notes: [{ note: 'x', grade: 'watch' }],
  weight: 17.8,
  surveyed: '2026-05-05',
  at: '2026-05-05T10:00:00Z',
  anything: { a: 1 },
}

describe('variables as a JSON Schema', () => {
  const prompt = declaredOf(DECLARED)
  const schema = schemaOf(prompt.variables, prompt.title)

  test('with titles, descriptions, defaults and examples', () => {
    expect(schema).toMatchObject({
      $schema: 'https://json-schema.org/draft/2020-12/schema',
      title: 'Card',
      required: ['item', 'parts', 'stops', 'notes', 'weight', 'surveyed', 'at', 'anything'],
      additionalProperties: false,
      properties: {
        item: { description: 'one row of the register', properties: { number: { pattern: '^(?:MH-\\d{4})$', examples: ['MH-0007'] } } },
        audience: { title: 'Who reads it?', default: 'adult', enum: ['adult', 'child', null] },
      },
    })
  })

  test('is one that a strict validator takes, and that refuses what rendering refuses', () => {
    const ajv = new Ajv2020({ strict: true, allowUnionTypes: true })
    ;(formats as unknown as (ajv: Ajv2020) => void)(ajv)
    const validate = ajv.compile(schema)
    const cases: [Record<string, unknown>, boolean][] = [
      [VALUES, true],
      [{ ...VALUES, audience: null, guide: 'data:text/markdown,x', earlier: [{ role: 'user', text: 'x' }] }, true],
      [{ ...VALUES, guide: { name: 'g.md', mediaType: 'text/markdown', text: 'x' } }, true],
      [{ ...VALUES, weight: 0.1 }, false],
      [{ ...VALUES, audience: 'teen' }, false],
      [{ ...VALUES, parts: [] }, false],
      [{ ...VALUES, parts: ['a', 'a'] }, false],
      [{ ...VALUES, item: { ...VALUES.item, number: 'x MH-0007' } }, false],
      [{ ...VALUES, item: { ...VALUES.item, made: 3000 } }, false],
      [{ ...VALUES, surveyed: '5.5.2026' }, false],
      [{ ...VALUES, unknown: 1 }, false],
      [Object.fromEntries(Object.entries(VALUES).filter(([name]) => name !== 'weight')), false],
    ]
    for (const [values, fine] of cases) {
      const rendered = (() => {
        try {
          prompt.render(values as never)
          return true
        } catch {
          return false
        }
      })()
      expect([values, validate(values), rendered]).toEqual([values, fine, fine])
    }
  })

  test('comes back as it was, with the marks that only this language has', () => {
    const back = variablesFromSchema(schemaOf(prompt.variables, undefined, { marks: true }))
    expect(back.problems).toEqual([])
    expect(bare(declaredOf(back.variables).variables)).toEqual(bare(prompt.variables))
  })

  test('without them the demo’s prompts still return with every type of JSON Schema', () => {
    const yaml = readFileSync('demo/marram-house/prompts/label/write.yaml', 'utf8')
    const variables = libraryFrom({ 'prompts/label/write.yaml': yaml }).artefacts.prompts.get('label/write')!.variables
    const back = declaredOf(variablesFromSchema(schemaOf(variables)).variables).variables
    expect(bare(back)).toEqual(JSON.parse(JSON.stringify(bare(variables)).replaceAll('"untrusted":true', '"untrusted":false')))
  })
})

describe('a JSON Schema from elsewhere', () => {
  const read = (schema: JsonSchema) => {
    const { variables, problems } = variablesFromSchema(schema)
    for (const p of problems) expect(p.code).toBe('schema-not-convertible')
    return { variables, says: problems.map((p) => p.message) }
  }

  test('with references, nullable types and constants', () => {
    const schema = {
      $schema: 'https://json-schema.org/draft/2020-12/schema',
      $defs: {
        room: { type: 'object', properties: { code: { type: 'string' }, wet: { type: ['boolean', 'null'] } }, required: ['code', 'wet'] },
      },
      type: 'object',
      properties: {
        room: { $ref: '#/$defs/room', description: 'where it stands' },
        rooms: { type: 'array', items: { $ref: '#/$defs/room' } },
        kind: { const: 'lamp' },
        made: { anyOf: [{ type: 'integer', minimum: 1500 }, { type: 'null' }] },
        code: { type: 'string', pattern: 'MH' },
      },
      required: ['room', 'rooms', 'kind', 'made', 'code'],
    }
    const room = { type: 'record', fields: { code: 'text', wet: { type: 'boolean', optional: true } } }
    expect(read(schema)).toEqual({
      says: [],
      variables: {
        room: { ...room, about: 'where it stands' },
        rooms: { ...room, type: 'table' },
        kind: { type: 'choice', of: ['lamp'] },
        made: { type: 'integer', min: 1500, optional: true },
        code: { type: 'text', pattern: '[^]*(?:MH)[^]*' },
      },
    })
  })

  test.each([
    [
      'another draft',
      { $schema: 'http://json-schema.org/draft-07/schema#', type: 'object', properties: {} },
      'the schema cannot be converted to a declaration: its draft is "http://json-schema.org/draft-07/schema#", and only 2020-12 is read',
    ],
    ['no object', { type: 'string' }, 'the schema cannot be converted to a declaration: it describes no object with properties'],
    [
      'a reference to nothing',
      { properties: { a: { $ref: '#/$defs/b' } } },
      '"a" cannot be converted to a declaration: "#/$defs/b" does not exist in the schema',
    ],
    ['a schema that holds itself', { properties: { a: { $ref: '#' } } }, 'cannot be converted to a declaration: it contains itself'],
    [
      'two types',
      { properties: { a: { type: ['string', 'integer'] } } },
      '"a" cannot be converted to a declaration: it may be string or integer, and a variable has one type',
    ],
    [
      'a name that is none',
      { properties: { 'two words': { type: 'string' } } },
      'it is not a valid name: a letter, then letters, digits, _ and -',
    ],
    [
      'a bound that we lack',
      { properties: { a: { type: 'number', exclusiveMinimum: 0 } } },
      '"a" cannot be converted to a declaration: "exclusiveMinimum" has no bound of ours',
    ],
    [
      'what is required but not described',
      { properties: { a: { type: 'string' } }, required: ['b'] },
      'the schema cannot be converted to a declaration: "b" is required, but not described',
    ],
    [
      'a reference around in a circle',
      { $defs: { a: { $ref: '#/$defs/a' } }, properties: { a: { $ref: '#/$defs/a' } } },
      '"a" cannot be converted to a declaration: "#/$defs/a" does not exist in the schema',
    ],
  ])('with %s says so', (_, schema, message) => {
    expect(read(schema).says.join('\n')).toContain(message)
  })
})
