import { defined } from '../invariant.js'
import { patternRefused } from '../values/pattern.js'
import type { Declaration, DeclarationKeys, Declarations, TypeWord } from '../values/declarations.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import { isRecord, own } from '../values/data.js'
import { isName } from '../values/names.js'
import { pointed } from './subschemas.js'
import { DRAFT, type JsonSchema } from './to-schema.js'

type Keys = { -readonly [K in keyof DeclarationKeys]: DeclarationKeys[K] }

/** Deeper than people write. */
const DEEPEST = 12
const MOST_RECORDS = 500

/**
 * Converts the properties of a JSON Schema's object to declarations, to use in code or to write into a file.
 * Keywords that declarations cannot express are reported as problems; the rest is converted.
 *
 * @param schema - A schema of an object.
 * @returns The declarations, and the problems.
 * @example
 * variablesFromSchema({ type: 'object', properties: { year: { type: 'integer', minimum: 1500 } }, required: ['year'] }).variables // => { year: { type: 'integer', min: 1500 } }
 */
export function variablesFromSchema(schema: JsonSchema): { readonly variables: Declarations; readonly problems: readonly Problem[] } {
  const problems: Problem[] = []
  const reading = new SchemaReading(schema, (p) => problems.push(p))
  const variables = reading.variables()
  return { variables, problems }
}

/** Keywords that declarations can express, that are handled by name, or that assert nothing. */
const SAID = new Set(
  'type enum const properties required additionalProperties items minItems maxItems uniqueItems minLength maxLength pattern minimum maximum exclusiveMinimum exclusiveMaximum multipleOf anyOf oneOf format $ref $defs definitions $schema $id $anchor $comment title description default examples deprecated readOnly writeOnly'.split(
    ' ',
  ),
)

/** Whether declarations can express a keyword, as far as its value allows. */
export function isConvertible(keyword: string): boolean {
  return SAID.has(keyword) || keyword.startsWith('x-')
}

class SchemaReading {
  /** The records that the present one is in. */
  private readonly within = new Set<JsonSchema>()
  private records = 0

  constructor(
    private readonly root: JsonSchema,
    private readonly report: Report,
  ) {}

  variables(): Declarations {
    const { root } = this
    const draft = own(root, '$schema')
    if (draft !== undefined && draft !== DRAFT) this.unfit('the schema', `its draft is ${JSON.stringify(draft)}, and only 2020-12 is read`)
    const object = this.followed(root, 'the schema')
    this.reportUnsaid(object, 'the schema')
    if (!isRecord(own(object, 'properties'))) {
      this.unfit('the schema', 'it describes no object with properties')
      return {}
    }
    this.within.add(object)
    return this.fields(object, '', 0, true)
  }

  private unfit(path: string, why: string): void {
    this.report(problem('schema-not-convertible', { path, why }))
  }

  private fields(schema: JsonSchema, path: string, depth: number, top: boolean): Declarations {
    const properties = own(schema, 'properties') as Record<string, unknown>
    const required = own(schema, 'required')
    const fields: Record<string, Declaration> = {}
    for (const [name, property] of Object.entries(properties)) {
      const fieldPath = path === '' ? name : `${path}.${name}`
      if (top && !isName(name)) this.unfit(fieldPath, 'it is not a valid name: a letter, then letters, digits, _ and -')
      else if (!isRecord(property)) this.unfit(fieldPath, 'it has no type')
      else fields[name] = this.declaration(property, fieldPath, Array.isArray(required) && required.includes(name), depth + 1)
    }
    for (const name of Array.isArray(required) ? required : [])
      if (!Object.hasOwn(properties, String(name)))
        this.unfit(path === '' ? 'the schema' : path, `"${String(name)}" is required, but not described`)
    return fields
  }

  private declaration(property: JsonSchema, path: string, required: boolean, depth: number): Declaration {
    const schema = this.followed(property, path)
    this.reportUnsaid(schema, path)
    const marks = own(property, 'x-dunelight')
    const { inner, nullable } = this.withoutNull(schema, path)
    const examples = own(property, 'examples')
    const fallback = own(property, 'default')
    const keys: Keys = { ...this.type(inner, path, depth) }
    const take = (key: 'about' | 'question', from: string) => {
      const text = own(property, from)
      if (typeof text === 'string') keys[key] = text
    }
    take('about', 'description')
    take('question', 'title')
    if (fallback !== undefined && fallback !== null) keys.default = fallback
    else if (!required || nullable) keys.optional = true
    if (Array.isArray(examples) && examples.length > 0) keys.example = examples[0] as unknown
    if (isRecord(marks)) Object.assign(keys, marks)
    // The form of its entries is the language's own.
    if (keys['type'] === 'turns') delete keys['fields']
    return Object.keys(keys).length === 1 ? keys.type : keys
  }

  /** Keywords that a declaration has no words for. */
  private reportUnsaid(schema: JsonSchema, path: string): void {
    for (const word of Object.keys(schema)) if (!isConvertible(word)) this.unfit(path, `"${word}" has no words of ours`)
  }

  /** The schema that a reference within the document means. */
  private followed(schema: JsonSchema, path: string): JsonSchema {
    let target = schema
    for (let steps = 0; typeof own(target, '$ref') === 'string'; steps++) {
      const ref = own(target, '$ref') as string
      const next = steps < DEEPEST ? pointed(this.root, ref) : undefined
      if (!next) {
        this.unfit(path, `"${ref}" does not exist in the schema`)
        return {}
      }
      target = next
    }
    return target
  }

  private withoutNull(schema: JsonSchema, path: string): { inner: JsonSchema; nullable: boolean } {
    const type = own(schema, 'type')
    if (Array.isArray(type)) {
      const others = type.filter((value) => value !== 'null')
      if (others.length > 1) this.unfit(path, `it may be ${others.join(' or ')}, and a variable has one type`)
      return { inner: { ...schema, type: others[0] as unknown }, nullable: others.length < type.length }
    }
    for (const word of ['anyOf', 'oneOf'] as const) {
      const options = own(schema, word)
      if (!Array.isArray(options)) continue
      const others = options.filter(isRecord).filter((option) => own(option, 'type') !== 'null')
      const nullable = others.length < options.length
      const [first] = others
      if (first && (others.length === 1 || isFile(others))) return { inner: isFile(others) ? schema : this.followed(first, path), nullable }
      this.unfit(path, `"${word}" leaves its type open`)
      return { inner: first ? this.followed(first, path) : {}, nullable }
    }
    return { inner: schema, nullable: false }
  }

  private type(schema: JsonSchema, path: string, depth: number): Pick<Keys, 'type'> & Partial<Keys> {
    if (depth > DEEPEST) {
      this.unfit(path, `it is nested more than ${DEEPEST} deep`)
      return { type: 'record' }
    }
    const options = own(schema, 'enum') ?? (own(schema, 'const') === undefined ? undefined : [own(schema, 'const')])
    if (Array.isArray(options)) return this.choice(options, path)
    switch (own(schema, 'type') ?? (isRecord(own(schema, 'properties')) ? 'object' : undefined)) {
      case 'string':
        return this.text(schema, path)
      case 'integer':
      case 'number':
        return this.number(schema, own(schema, 'type') as 'integer' | 'number', path)
      case 'boolean':
        return { type: 'boolean' }
      case 'array':
        return this.list(schema, path, depth)
      case 'object':
        return isRecord(own(schema, 'properties')) ? this.record(schema, path, depth) : { type: 'record' }
      default:
        if (Array.isArray(own(schema, 'anyOf'))) return { type: 'file', ...mediaOf(own(schema, 'anyOf') as readonly unknown[]) }
        this.unfit(path, 'it has no type')
        return { type: 'text' }
    }
  }

  /** Declarations are written out: a record within itself, or one used again and again, cannot be. */
  private record(schema: JsonSchema, path: string, depth: number): Pick<Keys, 'type'> & Partial<Keys> {
    if (this.within.has(schema) || this.records >= MOST_RECORDS) {
      this.unfit(path, this.within.has(schema) ? 'it contains itself' : `it is beyond the first ${MOST_RECORDS} records`)
      return { type: 'record' }
    }
    this.records++
    this.within.add(schema)
    const fields = this.fields(schema, path, depth, false)
    this.within.delete(schema)
    return { type: 'record', fields }
  }

  private choice(options: readonly unknown[], path: string): Pick<Keys, 'type'> & Partial<Keys> {
    const texts = options.filter((option) => option !== null)
    if (!texts.every((text) => typeof text === 'string')) this.unfit(path, 'a choice has texts as its options')
    return { type: 'choice', of: texts.map(String) }
  }

  private text(schema: JsonSchema, path: string): Pick<Keys, 'type'> & Partial<Keys> {
    const format = own(schema, 'format')
    if (format === 'date' || format === 'date-time') return { type: format }
    const pattern = own(schema, 'pattern')
    const refused = typeof pattern === 'string' ? patternRefused(wholePattern(pattern)) : undefined
    if (refused !== undefined) this.unfit(path, `its pattern cannot be used: ${refused}`)
    return {
      type: 'text',
      ...this.bounds(schema, { minLength: 'min-length', maxLength: 'max-length' }, path),
      ...(typeof pattern === 'string' && refused === undefined && { pattern: wholePattern(pattern) }),
    }
  }

  private number(schema: JsonSchema, type: 'integer' | 'number', path: string): Pick<Keys, 'type'> & Partial<Keys> {
    for (const word of ['exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'])
      if (own(schema, word) !== undefined) this.unfit(path, `"${word}" has no bound of ours`)
    return { type, ...this.bounds(schema, { minimum: 'min', maximum: 'max' }, path) }
  }

  private list(schema: JsonSchema, path: string, depth: number): Pick<Keys, 'type'> & Partial<Keys> {
    const items = own(schema, 'items')
    const bounds = this.bounds(schema, { minItems: 'min-items', maxItems: 'max-items' }, path)
    const unique = own(schema, 'uniqueItems') === true ? { unique: true } : {}
    if (!isRecord(items)) return { type: 'list', ...bounds, ...unique }
    const { type, ...rest } = this.type(this.withoutNull(this.followed(items, path), path).inner, path, depth + 1)
    // A list of objects is a table: written as rows and columns, read from one.
    if (type === 'record') return { type: 'table', ...rest, ...bounds }
    return { type: `list of ${type}` as TypeWord, ...rest, ...bounds, ...unique }
  }

  private bounds<W extends string>(schema: JsonSchema, words: Readonly<Record<string, W>>, path: string): Partial<Record<W, number>> {
    const bounds: Partial<Record<W, number>> = {}
    for (const [from, to] of Object.entries(words)) {
      const value = own(schema, from)
      if (typeof value === 'number') bounds[to] = value
      else if (value !== undefined) this.unfit(path, `"${from}" is not a number`)
    }
    return bounds
  }
}

/** The two forms in which a document travels as JSON. */
function isFile(options: readonly Record<string, unknown>[]): boolean {
  return options.length === 2 && options.some((option) => own(option, 'pattern') === '^data:')
}

function mediaOf(options: readonly unknown[]): { media?: readonly string[] } {
  const properties = options.map((option) => own(own(own(option, 'properties'), 'mediaType'), 'enum')).find(Array.isArray)
  return properties ? { media: properties.map(String) } : {}
}

/** A pattern of JSON Schema may match anywhere; ours match the whole text. */
export function wholePattern(pattern: string): string {
  const whole = /^\^\(\?:([^]*)\)\$$/.exec(pattern) ?? /^\^([^|]*)\$$/.exec(pattern)
  return whole ? defined(whole[1]) : `[^]*(?:${pattern})[^]*`
}
