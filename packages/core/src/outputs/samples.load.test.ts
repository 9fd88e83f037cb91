import { describe, expect, test } from '@jest/globals'
import { Validator } from '@cfworker/json-schema'
import { Ajv2020 } from 'ajv/dist/2020.js'
import formats from 'ajv-formats'
import fc from 'fast-check'
import { makeLibrary, makeOutput, makePrompt, type Form } from 'dunelight'
import { times } from '../../../../test/house.js'

/** A field of any type, bounds that something fits, in the words of the files. */
const bounded = (least: string, most: string) =>
  fc.option(
    fc
      .tuple(fc.integer({ min: 0, max: 6 }), fc.integer({ min: 0, max: 6 }))
      .map(([low, more]) => ({ [least]: low, [most]: low + more + 1 })),
    { nil: {} },
  )
const scalar = fc.oneof(
  bounded('min-words', 'max-words').map((bounds) => ({ type: 'text', ...bounds })),
  bounded('min-length', 'max-length').map((bounds) => ({ type: 'text', ...bounds })),
  fc.constantFrom('MH-\\d{4,}', '[A-Z][a-z]+( [a-z]+)*', '(a|bc)+d?', '\\p{Lu}{2,3}').map((pattern) => ({ type: 'text', pattern })),
  bounded('min', 'max').map((bounds) => ({ type: 'integer', ...bounds })),
  bounded('min', 'max').map((bounds) => ({ type: 'number', ...bounds })),
  fc.constant({ type: 'boolean' }),
  fc.constantFrom({ type: 'date' }, { type: 'date', min: '2020-01-01', max: '2020-12-31' }, { type: 'date-time' }),
  fc.constant({ type: 'choice', of: ['sound', 'watch', 'on loan', 'Ärger'] }),
)
const list = fc
  .tuple(scalar, bounded('min-items', 'max-items'))
  .map(([{ type, ...rest }, bounds]) => ({ type: `list of ${type}`, ...rest, ...bounds }))
const name = fc.constantFrom('heading', 'body', 'century', 'donor-name', 'größe', 'a b', '__proto__', 'constructor')
const fields = fc.letrec((tie) => ({
  fields: fc
    .uniqueArray(fc.tuple(name, tie('field')), { minLength: 1, maxLength: 4, selector: ([key]) => key })
    .map((all) => Object.fromEntries(all)),
  field: fc
    .tuple(
      fc.oneof(
        { depthSize: 'small', maxDepth: 2 },
        scalar,
        list,
        tie('fields').map((inner) => ({ type: 'record', fields: inner })),
        fc
          .tuple(tie('fields'), bounded('min-items', 'max-items'))
          .map(([inner, bounds]) => ({ type: 'list of record', fields: inner, ...bounds })),
      ),
      fc.boolean(),
    )
    .map(([declaration, optional]) => ({ ...(declaration as object), ...(optional && { optional }) })),
})).fields

const guidance = fc.constantFrom(
  '',
  ': at most 9 words',
  ': one warm paragraph, 5 to 20 words',
  ': three bullets',
  ': two sentences',
  ': integer',
  ': date, of the loan',
  ': number',
)
const fixed = fc.constantFrom(
  '\n\n## What we ask of you\n\n',
  ' -- ',
  '\n\nKept by the registrar of the house, now as ever:\n',
  ', said to be ',
)
const pieces = fc.uniqueArray(fc.tuple(fc.constantFrom('opening', 'terms', 'close', 'sum'), guidance, fixed), {
  minLength: 1,
  maxLength: 4,
  selector: ([key]) => key,
})
const documents = fc.tuple(pieces, fc.constantFrom('# For the loan of a lamp\n\n', ''), fc.boolean()).map(([all, head, tail]) => {
  const text = all.map(([key, message, after], i) => `<${key}${message}>${i < all.length - 1 || tail ? after : ''}`).join('')
  return { kind: 'document', text: `${head}${text}${tail ? ' Ines Brook of Marram House' : ''}` }
})
const rows = fc
  .tuple(
    fc.uniqueArray(
      fc.tuple(fc.constantFrom('heading', 'year', 'maker'), fc.constantFrom('', ': integer', ': date', ': number', ': at most 2 words')),
      { minLength: 1, maxLength: 3, selector: ([key]) => key },
    ),
    fc.constantFrom(' -> ', ' (', ' | ', '; '),
    bounded('min', 'max'),
  )
  .map(([all, between, count]) => ({ kind: 'rows', row: `${all.map(([key, message]) => `<${key}${message}>`).join(between)}.`, count }))
const labels = fc
  .uniqueArray(fc.constantFrom('sound', 'watch', 'treat', 'in store', 'urgent'), { minLength: 1 })
  .map((of) => ({ kind: 'one-of', of }))
const outputs = fc
  .tuple(
    fc.oneof(
      fields.map((all) => ({ kind: 'fields', fields: all })),
      documents,
      rows,
      labels,
    ),
    fc.constantFrom({}, { show: 'description' }, { show: 'json-schema' }),
  )
  .map(([output, show]) => ({ ...output, ...show }))

function formOf(input: object): Form {
  const o = makeOutput(input as never)
  const library = makeLibrary({ outputs: { o }, prompts: { p: makePrompt({ title: 'T', output: o, turns: [{ user: 'Go.' }] }) } })
  expect(library.problems).toEqual([])
  return library.prompt('p').form() as Form
}

const ajv = new Ajv2020({ strict: false, ownProperties: true, allErrors: true })
;(formats as unknown as (to: Ajv2020) => void)(ajv)

describe('whatever is defined', () => {
  test('a sample is read back as it is, and fits the JSON Schema by two validators', () => {
    fc.assert(
      fc.property(outputs, fc.nat(), (input, seed) => {
        const form = formOf(input)
        const text = form.sample(seed)!
        const { value, problems, repairs } = form.read(text, { strict: true })
        expect([problems, repairs]).toEqual([[], []])
        expect(form.write(value)).toBe(text)
        const data = input.kind === 'document' ? (value as { passages: unknown }).passages : value
        const schema = form.schema()
        // One of the validators does not support a property of this name.
        if (JSON.stringify(input).includes('__proto__')) return
        expect(ajv.validate(schema, data) || ajv.errors).toBe(true)
        expect(new Validator(schema, '2020-12').validate(data).errors).toEqual([])
        const { parameters } = form.call({ strict: true })
        expect(ajv.validate(parameters, withNulls(data, parameters)) || ajv.errors).toBe(true)
      }),
      { numRuns: times(120, 400) },
    )
  })

  test('rows that are written are read as they were, small numbers, dates and odd words among them', () => {
    const passage = fc.constantFrom(['a', ''], ['n', ': integer'], ['x', ': number'], ['d', ': date'], ['b', ''])
    const patterns = fc.tuple(
      fc.uniqueArray(passage, { minLength: 1, maxLength: 4, selector: ([key]) => key }),
      fc.constantFrom('. ', ') ', ' — ', ' | ', '; ', ': ', ', '),
      fc.constantFrom('', '- ', '* ', '#', '1) '),
    )
    const word = fc.constantFrom('lamp', '1', '2', 'MH-0007', '"bell"', '{x}', "keeper's", '£3', '*rare*', '10%', 'Ärger', '[sic]')
    const valueOf: Record<string, fc.Arbitrary<unknown>> = {
      n: fc.oneof(fc.integer({ min: 0, max: 12 }), fc.integer()),
      x: fc.oneof(
        fc.integer({ min: 0, max: 9 }),
        fc.double({ noNaN: true, min: -1e6, max: 1e6 }).map((number) => Math.round(number * 100) / 100 + 0),
      ),
      d: fc.integer({ min: 0, max: 60_000 }).map((day) => new Date(day * 86_400_000).toISOString().slice(0, 10)),
      a: fc.array(word, { minLength: 1, maxLength: 4 }).map((words) => words.join(' ')),
      b: fc.array(word, { minLength: 1, maxLength: 4 }).map((words) => words.join(' ')),
    }
    fc.assert(
      fc.property(
        patterns.chain(([passages, between, before]) =>
          fc.record({
            row: fc.constant(before + passages.map(([key, type]) => `<${key}${type}>`).join(between)),
            values: fc.array(fc.record(Object.fromEntries(passages.map(([key]) => [key, valueOf[key]!]))), { minLength: 1, maxLength: 5 }),
          }),
        ),
        ({ row, values }) => {
          const form = formOf({ kind: 'rows', row })
          const { value, problems, repairs } = form.read(form.write({ rows: values }))
          expect([value, problems, repairs.map((repair) => repair.message)]).toEqual([{ rows: values }, [], []])
        },
      ),
      { numRuns: times(300, 10_000) },
    )
  })
  test('one that wanders is read as the same, with a repair', () => {
    fc.assert(
      fc.property(outputs, fc.nat(), (input, seed) => {
        const form = formOf(input)
        const plain = form.read(form.sample(seed)!).value
        for (const as of form.ways.repairable) {
          const reply = form.sample(seed, { as })
          if (reply === undefined) continue
          const { value, problems, repairs } = form.read(reply)
          expect([as, problems.map((p) => p.message), value]).toEqual([as, [], plain])
          expect([as, repairs.length > 0, form.read(reply, { strict: true }).value]).toEqual([as, true, undefined])
        }
      }),
      { numRuns: times(60, 150) },
    )
  })

  test('a wrong one is never read', () => {
    fc.assert(
      fc.property(outputs, fc.nat(), (input, seed) => {
        const form = formOf(input)
        for (const as of form.ways.wrong) {
          const reply = form.sample(seed, { as })
          if (reply !== undefined) expect([as, reply, form.read(reply).value]).toEqual([as, reply, undefined])
        }
      }),
      { numRuns: times(60, 150) },
    )
  })

  test('no reply makes a reader throw', () => {
    fc.assert(
      fc.property(
        outputs,
        fc.oneof(
          fc.string(),
          fc.json(),
          fc.string({ unit: fc.constantFrom('{', '}', '[', ']', '"', ':', ',', "'", '\\', '\n', 'a', '1', '<', '>', '`', ' ') }),
        ),
        (input, reply) => {
          const { value, problems } = formOf(input).read(reply)
          expect((value === undefined) === problems.length > 0).toBe(true)
        },
      ),
      { numRuns: times(120, 300) },
    )
  })
})

/** The strict profile has every field: null where nothing is given. */
function withNulls(data: unknown, schema: unknown): unknown {
  const { properties, items } = schema as { properties?: Record<string, unknown>; items?: unknown }
  if (Array.isArray(data)) return data.map((value) => withNulls(value, items))
  if (typeof data !== 'object' || data === null || !properties) return data
  const own = data as Record<string, unknown>
  return Object.fromEntries(
    Object.entries(properties).map(([key, value]) => [key, Object.hasOwn(own, key) ? withNulls(own[key], value) : null]),
  )
}
