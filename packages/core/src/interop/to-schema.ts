import { labelsInWords } from '../values/labels.js'
import { isTextMedia } from '../values/files.js'
import type { Declared, ValueType } from '../values/types.js'

/** A JSON Schema as plain data. */
export type JsonSchema = Readonly<Record<string, unknown>>

/** What a JSON Schema is made for. */
export interface SchemaOptions {
  /**
   * Keeps what JSON Schema cannot express (`untrusted`, tables, how cells are read) under the keyword `x-dunelight`, so that variables return
   * from the schema as they were. Validators that refuse unknown keywords have to be configured for it.
   */
  readonly marks?: boolean
  /** Nested records have nothing beyond their fields either: the content of a reply. */
  readonly closed?: boolean
  /** The profile that some model services ask for: everything required, null where it may be missing, no defaults. It is closed too. */
  readonly strict?: boolean
  /** Adds to the description what JSON Schema has no keyword for: limits in words, the earliest and latest date. */
  readonly boundsInText?: boolean
}

export const DRAFT = 'https://json-schema.org/draft/2020-12/schema'

/**
 * Converts declarations to a JSON Schema (2020-12) of an object, with titles, descriptions, defaults and examples.
 * Undeclared properties are not allowed; records inside may have more fields.
 *
 * @param declared - The variables of a prompt, or the fields of a record.
 * @param title - The schema's title.
 * @param options - What the schema is for.
 * @returns The schema.
 * @example
 * schemaOf(libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' }).prompt('hello').variables).required // => ['who']
 */
export function schemaOf(declared: readonly Declared[], title?: string, options: SchemaOptions = {}): JsonSchema {
  return {
    $schema: DRAFT,
    ...(title !== undefined && { title }),
    ...objectOf(declared, options),
    additionalProperties: false,
  }
}

function objectOf(declared: readonly Declared[], options: SchemaOptions): Record<string, unknown> {
  const required = declared.filter((d) => options.strict === true || (!d.optional && d.default === undefined)).map((d) => d.name)
  return {
    type: 'object',
    properties: Object.fromEntries(declared.map((d) => [d.name, propertyOf(d, options)])),
    ...(required.length > 0 && { required }),
    ...((options.closed === true || options.strict === true) && { additionalProperties: false }),
  }
}

function propertyOf(d: Declared, options: SchemaOptions): JsonSchema {
  const schema = schemaOfType(d.type, options)
  const description = [d.about, meaningsOf(d.type), options.boundsInText ? toldOf(d.type) : undefined]
    .filter((text) => text !== undefined && text !== '')
    .join('; ')
  const marks = { ...(d.untrusted && { untrusted: true }), ...marksOf(d.type) }
  return {
    ...(d.question !== undefined && { title: d.question }),
    ...(description !== '' && { description }),
    // Null counts as missing for any value.
    ...(d.optional || d.default !== undefined ? orNull(schema) : schema),
    ...(d.default !== undefined && options.strict !== true && { default: d.default }),
    ...(d.example !== undefined && { examples: [d.example] }),
    ...(options.marks && Object.keys(marks).length > 0 && { 'x-dunelight': marks }),
  }
}

export function orNull(schema: Record<string, unknown>): Record<string, unknown> {
  const { type, ...rest } = schema
  if (Array.isArray(rest['enum'])) return { ...schema, type: [type, 'null'], enum: [...(rest['enum'] as unknown[]), null] }
  return typeof type === 'string' ? { type: [type, 'null'], ...rest } : { anyOf: [schema, { type: 'null' }] }
}

export function meaningsOf(type: ValueType): string {
  if (type.kind === 'list') return meaningsOf(type.item)
  return type.kind === 'choice' && type.labels ? labelsInWords(type.labels) : ''
}

/** Bounds that only a description can express. */
function toldOf(type: ValueType): string {
  switch (type.kind) {
    case 'text':
      return boundsInWords(type.minWords, type.maxWords, 'word', 'words')
    case 'date':
    case 'date-time':
      return boundsInWords(type.min, type.max, '', '').trim()
    case 'list': {
      const each = toldOf(type.item)
      return each === '' ? '' : `each ${each}`
    }
    default:
      return ''
  }
}

/** A schema within another, or in a text: keywords that are only for tools are removed. */
export function innerSchema(schema: JsonSchema, ...dropped: readonly string[]): JsonSchema {
  const gone = new Set(['$schema', ...dropped])
  return Object.fromEntries(Object.entries(schema).filter(([key]) => !gone.has(key)))
}

/** Two bounds in words: `35 to 60 words`, `at most 8 words`; nothing where there are none. */
export function boundsInWords(
  least: number | string | undefined,
  most: number | string | undefined,
  text: string,
  several: string,
): string {
  const unit = (count: number | string) => (Number(count) === 1 ? text : several)
  if (least !== undefined && most !== undefined) return least === most ? `${least} ${unit(least)}` : `${least} to ${most} ${several}`
  if (most !== undefined) return `at most ${most} ${unit(most)}`
  return least !== undefined ? `at least ${least} ${unit(least)}` : ''
}

/** What only this language has: the words that bring the type back. */
function marksOf(type: ValueType): Record<string, unknown> {
  switch (type.kind) {
    case 'table':
    case 'turns':
      return { type: type.kind }
    case 'text':
      return {
        ...(type.minWords !== undefined && { 'min-words': type.minWords }),
        ...(type.maxWords !== undefined && { 'max-words': type.maxWords }),
      }
    case 'file':
      return { type: 'file', ...(type.media && { media: type.media }) }
    case 'list':
      return { ...(type.item.kind === 'record' && { type: 'list of record' }), ...(type.splits !== undefined && { splits: type.splits }) }
    case 'boolean':
      return type.reads === undefined ? {} : { reads: type.reads }
    case 'date':
    case 'date-time':
      return {
        ...(type.reads !== undefined && { reads: type.reads }),
        ...(type.min !== undefined && { min: type.min }),
        ...(type.max !== undefined && { max: type.max }),
      }
    default:
      return {}
  }
}

function schemaOfType(type: ValueType, options: SchemaOptions): Record<string, unknown> {
  switch (type.kind) {
    case 'text':
      return {
        type: 'string',
        ...(type.minLength !== undefined && { minLength: type.minLength }),
        ...(type.maxLength !== undefined && { maxLength: type.maxLength }),
        // A pattern of ours matches the whole text, one of JSON Schema any part of it.
        ...(type.pattern !== undefined && { pattern: `^(?:${type.pattern})$` }),
      }
    case 'integer':
    case 'number':
      return {
        type: type.kind,
        ...(type.min !== undefined && { minimum: type.min }),
        ...(type.max !== undefined && { maximum: type.max }),
      }
    case 'boolean':
      return { type: 'boolean' }
    case 'date':
    case 'date-time':
      return { type: 'string', format: type.kind }
    case 'choice':
      return { type: 'string', enum: [...type.of] }
    case 'list':
      return {
        type: 'array',
        items: schemaOfType(type.item, options),
        ...(type.minItems !== undefined && { minItems: type.minItems }),
        ...(type.maxItems !== undefined && { maxItems: type.maxItems }),
        ...(type.unique && { uniqueItems: true }),
      }
    case 'record':
      return type.fields ? objectOf(type.fields, options) : { type: 'object' }
    case 'table':
      return {
        type: 'array',
        items: type.fields ? objectOf(type.fields, options) : { type: 'object' },
        ...(type.minItems !== undefined && { minItems: type.minItems }),
        ...(type.maxItems !== undefined && { maxItems: type.maxItems }),
      }
    case 'file':
      return fileSchema(type.media)
    case 'turns':
      return {
        type: 'array',
        items: {
          type: 'object',
          properties: { role: { type: 'string', enum: ['user', 'assistant'] }, text: { type: 'string' } },
          required: ['role', 'text'],
        },
      }
    case 'any':
      return {}
  }
}

/** A document travels as JSON by its text, or as a `data:` URI. */
function fileSchema(media: readonly string[] | undefined): Record<string, unknown> {
  const exact = media?.every((text) => !text.endsWith('/*'))
  const mediaType = media && exact ? { type: 'string', enum: [...media] } : { type: 'string' }
  const uri = { type: 'string', pattern: '^data:' }
  const withText = {
    type: 'object',
    properties: { name: { type: 'string' }, mediaType, text: { type: 'string' } },
    required: ['name', 'mediaType', 'text'],
  }
  return media && !media.some(isTextMedia) && exact ? uri : { anyOf: [uri, withText] }
}
