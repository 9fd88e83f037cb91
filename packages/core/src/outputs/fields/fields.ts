import { instructFields } from './instruct.js'
import { readFields } from './read.js'
import { fieldsSchema } from './schema.js'
import type { OutputKind, Way } from '../kind.js'
import { withCitations } from '../whole-rules.js'
import { wordsOf } from '../sample/prose.js'
import { sampleOfSchema } from '../sample/schema.js'
import { sampleRecord } from '../sample/values.js'
import { around } from '../sample/ways.js'
import type { FieldsShape } from '../shape.js'
import type { SampleRandom } from '../sample/random.js'
import { isRecord, own, withPart } from '../../values/data.js'
import { itemsOf, withItem } from '../list-items.js'
import type { Declared, ValueType } from '../../values/types.js'

/** Data fields, as a JSON object. */
export const fieldsKind: OutputKind<FieldsShape> = {
  form: 'fields',
  instruct: instructFields,
  schema: fieldsSchema,
  read: readFields,
  columns: ({ fields }, value) => Object.fromEntries(fields.map(({ name }) => [name, own(value, name) ?? null])),
  write: (_, value) => JSON.stringify(value),
  parts: ({ fields }, value) => fields.flatMap(({ name }) => [name, ...itemsOf(own(value, name)).map((_, i) => `${name}.${i + 1}`)]),
  exchange: ({ fields }, value, other, part) => {
    const [, name = '', number] = fields.some((field) => field.name === part) ? [] : (/^(.*)\.(\d+)$/.exec(part) ?? [])
    if (number === undefined) return withPart(value as Data, other as Data, part)
    const changed = { [name]: withItem(itemsOf(own(value, name)), itemsOf(own(other, name)), Number(number) - 1) }
    return withPart(value as Data, changed, name)
  },
  sample: (shape, random) =>
    shape.schema
      ? sampleOfSchema(shape.schema, random)
      : withCitations(
          sampleRecord(shape.fields, random),
          shape.whole,
          shape.fields.filter(({ type }) => type.kind === 'text').map(({ name }) => name),
        ),
  // A JSON Schema may ask for more than each field by itself does.
  faithful: ({ check }) => !check,
  ways: [
    ...around<FieldsShape>((_, value) => JSON.stringify(value, null, 2), 'json'),
    wandering('trailing-comma', (text) => text.replace(/\}$/, ',}')),
    wandering('commented', (text) => text.replace(/^\{/, '{ // as asked\n')),
    wandering('unquoted-keys', (text) => (/^\{"[a-z]+":/.test(text) ? text.replace(/^\{"([a-z]+)":/, '{$1:') : undefined)),
    wandering('single-quotes', (text) => (text === '{}' || /['\\]/.test(text) ? undefined : text.replaceAll('"', "'"))),
    wandering('bracket-missing', (text) => (text === '{}' || /[\d}\]]\}$|[a-z]\}$/.test(text) ? undefined : text.slice(0, -1))),
    wandering('two-objects', (text) => `${text}\n\nAnd once more, tidied:\n${text}`),
    wandering('extra-field', (text, value) => (text === '{}' ? undefined : JSON.stringify({ ...value, 'remarks-of-mine': 'none' }))),
    wandering('keys-in-capitals', (_, value) => {
      const capital = Object.fromEntries(Object.entries(value).map(([key, value]) => [key.toUpperCase(), value]))
      const same =
        Object.keys(value).some((key) => key.toUpperCase().toLowerCase() !== key.toLowerCase()) ||
        Object.keys(capital).some((key) => Object.hasOwn(value, key)) ||
        Object.keys(capital).length < Object.keys(value).length
      return same || Object.keys(value).length === 0 ? undefined : JSON.stringify(capital)
    }),
    wandering('numbers-as-text', (_, value, { fields }) => {
      const field = fields.find(
        (field) => (field.type.kind === 'integer' || field.type.kind === 'number') && typeof value[field.name] === 'number',
      )
      return field && JSON.stringify({ ...value, [field.name]: String(value[field.name]) })
    }),
    wrong('field-missing', (value, { fields }) => {
      const field = fields.find(isRequired)
      return field && JSON.stringify({ ...value, [field.name]: undefined })
    }),
    wrong('wrong-type', (value, { fields }) => {
      const field = fields.find((field) => field.type.kind !== 'any')
      const foreign =
        field && (field.type.kind === 'record' || field.type.kind === 'list' || field.type.kind === 'table' ? 7 : { not: 'this' })
      return field && JSON.stringify({ ...value, [field.name]: foreign })
    }),
    wrong('wrong-label', (value, { fields }) => {
      const field = fields.find((field) => field.type.kind === 'choice')
      return field && JSON.stringify({ ...value, [field.name]: 'none of your labels' })
    }),
    wrong('out-of-bounds', (value, { fields }, random) => {
      for (const { name, type } of fields) {
        const beyond = outOfBounds(type, value[name], random)
        if (beyond !== undefined) return JSON.stringify({ ...value, [name]: beyond })
      }
      return undefined
    }),
    wrong('cut-off', (value) => {
      const entries = Object.entries(value)
      const last = entries.pop()
      if (!last) return '{'
      return `${JSON.stringify(Object.fromEntries(entries)).slice(0, -1)}${entries.length > 0 ? ',' : ''}${JSON.stringify(last[0])}:${JSON.stringify(last[1]).charAt(0)}`
    }),
    wrong('no-json', () => 'I am afraid that I cannot say much about this one.'),
    wrong('empty', () => ''),
  ],
}

type Data = Record<string, unknown>

function wandering(name: string, make: (text: string, value: Data, shape: FieldsShape) => string | undefined): Way<FieldsShape> {
  return { name, wrong: false, make: (shape, value) => (isRecord(value) ? make(JSON.stringify(value), value, shape) : undefined) }
}

function wrong(name: string, make: (value: Data, shape: FieldsShape, random: SampleRandom) => string | undefined): Way<FieldsShape> {
  return { name, wrong: true, make: (shape, value, random) => (isRecord(value) ? make(value, shape, random) : undefined) }
}

function isRequired(field: Declared): boolean {
  return !field.optional && field.default === undefined
}

/** A value that breaks one bound of its type, or undefined where it has none. */
function outOfBounds(type: ValueType, value: unknown, random: SampleRandom): unknown {
  switch (type.kind) {
    case 'text':
      if (type.maxWords !== undefined) return wordsOf(random, type.maxWords + 1)
      if (type.minWords !== undefined && type.minWords > 1) return wordsOf(random, type.minWords - 1)
      return type.maxLength === undefined ? undefined : 'x'.repeat(type.maxLength + 1)
    case 'integer':
    case 'number':
      if (type.max !== undefined) return type.max + 1
      return type.min === undefined ? undefined : type.min - 1
    case 'list': {
      const list = Array.isArray(value) ? (value as unknown[]) : []
      if (type.minItems !== undefined && type.minItems > 0) return list.slice(0, type.minItems - 1)
      return type.unique && list.length > 0 && typeof list[0] !== 'object' ? [...list, list[0]] : undefined
    }
    default:
      return undefined
  }
}
