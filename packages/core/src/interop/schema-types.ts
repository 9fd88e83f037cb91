import { FlatSchemas } from './flat-schema.js'
import { isConvertible, wholePattern } from './from-schema.js'
import type { JsonSchema } from './to-schema.js'
import { acceptType, topLevel } from '../values/accept.js'
import { isRecord, own } from '../values/data.js'
import { patternRefused } from '../values/pattern.js'
import { ANY, type Declared, type ValueType } from '../values/types.js'

type Mutable<T> = { -readonly [K in keyof T]: T[K] }
type RecordType = Mutable<Extract<ValueType, { kind: 'record' | 'table' }>>

/** References followed one within another, deeper than any reply is. */
const DEEPEST = 200

/**
 * The fields of the object that a JSON Schema describes, as far as types can express them. A record that contains itself is one object that
 * refers to itself. `whole`: whether the types express all of it.
 */
export function fieldsOfSchema(root: JsonSchema): { readonly fields: readonly Declared[]; readonly whole: boolean } {
  const types = new SchemaTypes(root)
  const fields = types.fields()
  return { fields, whole: types.isWhole }
}

class SchemaTypes {
  private whole = true
  private readonly flat: FlatSchemas
  private readonly types = new Map<JsonSchema, ValueType>()
  private depth = 0

  constructor(private readonly root: JsonSchema) {
    this.flat = new FlatSchemas(root)
  }

  get isWhole(): boolean {
    return this.whole && this.flat.exact
  }

  fields(schema: JsonSchema = this.flat.of(this.root)): Declared[] {
    this.lookFor(schema)
    const properties = own(schema, 'properties')
    const required = own(schema, 'required')
    const names = new Set(Array.isArray(required) ? required.map(String) : [])
    if (!isRecord(properties)) {
      this.whole = false
      return []
    }
    if ([...names].some((name) => !Object.hasOwn(properties, name))) this.whole = false
    return Object.entries(properties).map(([name, property]) => this.declared(name, property, names.has(name)))
  }

  /** Takes note of keywords that no type expresses. */
  private lookFor(schema: JsonSchema): void {
    if (!Object.keys(schema).every(isConvertible)) this.whole = false
  }

  private declared(name: string, property: unknown, isRequired: boolean): Declared {
    const { inner, nullable } = this.withoutNull(this.flat.of(property))
    const type = this.type(inner)
    const about = own(property, 'description') ?? own(inner, 'description')
    const examples = own(property, 'examples') ?? own(inner, 'examples')
    const fallback = own(property, 'default') ?? own(inner, 'default')
    const hasDefault = fallback !== undefined && fallback !== null && this.isAccepted(fallback, type)
    return {
      name,
      type,
      optional: !hasDefault && (!isRequired || nullable),
      untrusted: false,
      span: undefined,
      ...(hasDefault && { default: fallback }),
      ...(typeof about === 'string' && { about }),
      ...(Array.isArray(examples) && examples.length > 0 && { example: examples[0] as unknown }),
    }
  }

  private isAccepted(value: unknown, type: ValueType): boolean {
    let fits = true
    acceptType(value, type, topLevel(''), () => (fits = false))
    return fits
  }

  private withoutNull(schema: JsonSchema): { inner: JsonSchema; nullable: boolean } {
    const type = own(schema, 'type')
    if (Array.isArray(type)) {
      const others = type.filter((value) => value !== 'null')
      return { inner: { ...schema, type: others.length === 1 ? (others[0] as unknown) : others }, nullable: others.length < type.length }
    }
    const options = optionsOf(schema)
    if (!options) return { inner: schema, nullable: false }
    const others = options.map((option) => this.flat.of(option)).filter((option) => own(option, 'type') !== 'null')
    const [first] = others
    return { inner: first && others.length === 1 ? first : schema, nullable: others.length < options.length }
  }

  private type(schema: JsonSchema): ValueType {
    const known = this.types.get(schema)
    if (known) return known
    if (this.depth >= DEEPEST) return this.open()
    this.depth++
    const type = isRecord(own(schema, 'properties')) ? this.record(schema) : this.plain(schema)
    this.depth--
    this.types.set(schema, type)
    return type
  }

  /** Its fields may contain the record itself: it is known before they are. */
  private record(schema: JsonSchema): ValueType {
    const record: RecordType = { kind: 'record' }
    this.types.set(schema, record)
    record.fields = this.fields(schema)
    return record
  }

  plain(schema: JsonSchema): ValueType {
    // A list that contains itself has no end.
    this.types.set(schema, ANY)
    this.lookFor(schema)
    const options = own(schema, 'enum') ?? (own(schema, 'const') === undefined ? undefined : [own(schema, 'const')])
    if (Array.isArray(options)) return options.every((option) => typeof option === 'string') ? { kind: 'choice', of: options } : this.open()
    switch (own(schema, 'type')) {
      case 'string':
        return this.text(schema)
      case 'integer':
      case 'number':
        return this.number(schema, own(schema, 'type') as 'integer' | 'number')
      case 'boolean':
        return { kind: 'boolean' }
      case 'array':
        return this.list(schema)
      case 'object':
        return { kind: 'record' }
      default:
        return this.open()
    }
  }

  /** A value that no type describes: the validator alone judges it. */
  private open(): ValueType {
    this.whole = false
    return ANY
  }

  private text(schema: JsonSchema): ValueType {
    const format = own(schema, 'format')
    if (format === 'date' || format === 'date-time') return { kind: format }
    if (format !== undefined) this.whole = false
    const pattern = own(schema, 'pattern')
    const isUsable = typeof pattern === 'string' && patternRefused(wholePattern(pattern)) === undefined
    if (pattern !== undefined && !isUsable) this.whole = false
    return {
      kind: 'text',
      ...this.bounds(schema, { minLength: 'minLength', maxLength: 'maxLength' }),
      ...(isUsable && { pattern: wholePattern(pattern) }),
    }
  }

  private number(schema: JsonSchema, kind: 'integer' | 'number'): ValueType {
    if (['exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'].some((keyword) => own(schema, keyword) !== undefined)) this.whole = false
    return { kind, ...this.bounds(schema, { minimum: 'min', maximum: 'max' }) }
  }

  private list(schema: JsonSchema): ValueType {
    const items = own(schema, 'items')
    const bounds = this.bounds(schema, { minItems: 'minItems', maxItems: 'maxItems' })
    const { inner, nullable } = items === undefined ? { inner: {}, nullable: false } : this.withoutNull(this.flat.of(items))
    const item = nullable || items === undefined ? this.open() : this.type(inner)
    return { kind: 'list', item, ...bounds, ...(own(schema, 'uniqueItems') === true && { unique: true }) }
  }

  private bounds<K extends string>(schema: JsonSchema, names: Readonly<Record<string, K>>): Partial<Record<K, number>> {
    const bounds: Partial<Record<K, number>> = {}
    for (const [keyword, name] of Object.entries(names)) {
      const value = own(schema, keyword)
      if (typeof value === 'number') bounds[name] = value
    }
    return bounds
  }
}

/** The type of a schema that has no schema within it. */
export function leafType(schema: JsonSchema): ValueType {
  return new SchemaTypes(schema).plain(schema)
}

/** The schemas that a value may fit one of, or undefined where it is not left open. */
export function optionsOf(schema: JsonSchema): readonly unknown[] | undefined {
  const options = own(schema, 'anyOf') ?? own(schema, 'oneOf')
  return Array.isArray(options) ? options : undefined
}
