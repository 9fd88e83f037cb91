import { keyword } from './prose.js'
import type { SampleRandom } from './random.js'
import { NoSample, sampleValue } from './values.js'
import { FlatSchemas } from '../../interop/flat-schema.js'
import { leafType, optionsOf } from '../../interop/schema-types.js'
import type { JsonSchema } from '../../interop/to-schema.js'
import { isRecord, own, put } from '../../values/data.js'

/** Beyond this many values, a sample has nothing that may be missing; beyond the second, there is none. */
const [MANY_VALUES, MOST_VALUES] = [60, 10_000]
/** References within each other that a sample follows freely. */
const DEEP = 6

/** A sample of a JSON Schema. Conditions (`not`, `if`) are left to the validator: a sample that breaks one is drawn again. */
export function sampleOfSchema(root: JsonSchema, random: SampleRandom): unknown {
  return new SchemaSample(root, random).value(root, 'reply', 0)
}

class SchemaSample {
  private values = 0
  private readonly flat: FlatSchemas
  /** How deep the smallest value of a schema is. */
  private readonly depths = new Map<JsonSchema, number>()

  constructor(
    root: JsonSchema,
    private readonly random: SampleRandom,
  ) {
    this.flat = new FlatSchemas(root)
  }

  value(schema: unknown, name: string, depth: number): unknown {
    const flat = this.flat.of(schema)
    if (++this.values > MOST_VALUES) throw new NoSample(`a value of this schema has more than ${MOST_VALUES} parts`)
    if (this.depthOf(flat) === Infinity) throw new NoSample(`"${name}" contains itself without an end`)
    const isSmall = depth >= DEEP || this.values > MANY_VALUES
    const constant = own(flat, 'const')
    if (constant !== undefined) return constant
    const values = own(flat, 'enum')
    if (Array.isArray(values)) return values[Math.floor(this.random.next() * values.length)] as unknown
    const options = optionsOf(flat)
    if (options) return this.value(this.option(options, isSmall), name, depth + 1)
    const types = [own(flat, 'type')].flat().filter((type) => type !== undefined)
    const type = types.length > 0 ? types[0] : isRecord(own(flat, 'properties')) ? 'object' : undefined
    switch (type) {
      case 'object':
        return this.object(flat, depth, isSmall)
      case 'array':
        return this.list(flat, name, depth, isSmall)
      case 'null':
        return null
      case 'number':
      case 'integer':
        return this.number(flat, type as 'number' | 'integer', name)
      case undefined:
        return keyword(this.random)
      default:
        return this.formatted(own(flat, 'format')) ?? sampleValue(leafType({ ...flat, type }), this.random, name)
    }
  }

  /** Any of the options; where the sample has to end, the one that is least deep. */
  private option(options: readonly unknown[], isSmall: boolean): unknown {
    const depths = options.map((option) => this.depthOf(this.flat.of(option)))
    const finite = options.filter((_, i) => depths[i] !== Infinity)
    return isSmall || finite.length === 0 ? options[depths.indexOf(Math.min(...depths))] : this.random.of(finite)
  }

  private object(schema: JsonSchema, depth: number, isSmall: boolean): Record<string, unknown> {
    const record: Record<string, unknown> = {}
    const properties = own(schema, 'properties')
    const required = new Set(own(schema, 'required') as unknown[] | undefined)
    const least = Number(own(schema, 'minProperties') ?? 0)
    for (const [name, property] of Object.entries(isRecord(properties) ? properties : {})) {
      const isSkipped = !required.has(name) && (isSmall || this.random.next() < 0.4) && Object.keys(record).length >= least
      if (!isSkipped && (required.has(name) || this.depthOf(this.flat.of(property)) !== Infinity))
        put(record, name, this.value(property, name, depth + 1))
    }
    for (const name of required) if (!Object.hasOwn(record, String(name))) put(record, String(name), keyword(this.random))
    return record
  }

  private list(schema: JsonSchema, name: string, depth: number, isSmall: boolean): unknown[] {
    const first = own(schema, 'prefixItems')
    const items = own(schema, 'items')
    const list = Array.isArray(first) ? first.map((item) => this.value(item, name, depth + 1)) : []
    const least = Math.max(0, Number(own(schema, 'minItems') ?? 0))
    const most = Math.max(least, Math.min(Number(own(schema, 'maxItems') ?? 3), least + 2))
    const count = isSmall || items === false ? least : least + Math.floor(this.random.next() * (most - least + 1))
    const isUnique = own(schema, 'uniqueItems') === true
    for (let tries = 0; list.length < count && tries < count * 20; tries++) {
      const value = this.value(items ?? true, name, depth + 1)
      if (!isUnique || !list.some((item) => JSON.stringify(item) === JSON.stringify(value))) list.push(value)
    }
    return list
  }

  private number(schema: JsonSchema, kind: 'number' | 'integer', name: string): number {
    const step = own(schema, 'multipleOf')
    const [above, below] = [own(schema, 'exclusiveMinimum'), own(schema, 'exclusiveMaximum')]
    const type = leafType({
      ...schema,
      type: kind,
      ...(typeof above === 'number' && { minimum: kind === 'integer' ? Math.floor(above) + 1 : above }),
      ...(typeof below === 'number' && { maximum: kind === 'integer' ? Math.ceil(below) - 1 : below }),
    })
    const value = sampleValue(type, this.random, name) as number
    return typeof step === 'number' && step > 0 ? Math.ceil(value / step) * step : value
  }

  private formatted(format: unknown): string | undefined {
    const word = () =>
      keyword(this.random)
        .replace(/[^a-z]/gi, '')
        .toLowerCase() || 'lamp'
    const digits = (count: number) => Array.from({ length: count }, () => Math.floor(this.random.next() * 10)).join('')
    switch (format) {
      case 'email':
        return `${word()}@marram.example`
      case 'uri':
      case 'uri-reference':
      case 'iri':
        return `https://marram.example/${word()}`
      case 'hostname':
        return `${word()}.example`
      case 'uuid':
        return `${digits(8)}-${digits(4)}-4${digits(3)}-8${digits(3)}-${digits(12)}`
      case 'time':
        return `1${digits(1)}:0${digits(1)}:00Z`
      case 'ipv4':
        return `192.0.2.${Math.floor(this.random.next() * 256)}`
      default:
        return undefined
    }
  }

  /** The depth of a schema's smallest value: infinite where each of its values contains another. */
  private depthOf(schema: JsonSchema): number {
    const known = this.depths.get(schema)
    if (known !== undefined) return known
    const met = [schema, ...this.reached(schema)]
    for (const item of met) this.depths.set(item, Infinity)
    // Each round settles the schemas whose parts are settled.
    for (let changed = true; changed;) {
      changed = false
      for (const item of met) {
        const depth = this.depthByParts(item)
        if (depth < (this.depths.get(item) ?? Infinity)) {
          this.depths.set(item, depth)
          changed = true
        }
      }
    }
    return this.depths.get(schema) ?? Infinity
  }

  /** The schemas below, those without a schema of their own first. */
  private reached(schema: JsonSchema): JsonSchema[] {
    const reached = new Set<JsonSchema>()
    const waiting = [schema]
    for (let next = waiting.pop(); next; next = waiting.pop())
      for (const part of this.parts(next).flat()) {
        if (part === schema || reached.has(part) || this.depths.has(part)) continue
        reached.add(part)
        waiting.push(part)
      }
    return [...reached].reverse()
  }

  private depthByParts(schema: JsonSchema): number {
    const [needed, options] = this.parts(schema)
    const depth = (part: JsonSchema) => this.depths.get(part) ?? Infinity
    const deepest = Math.max(0, ...needed.map(depth))
    return 1 + Math.max(deepest, options.length > 0 ? Math.min(...options.map(depth)) : 0)
  }

  /** The schemas that a value needs all of, and those that it needs one of. */
  private parts(schema: JsonSchema): [JsonSchema[], JsonSchema[]] {
    const properties = own(schema, 'properties')
    const required = own(schema, 'required')
    const needed: unknown[] =
      isRecord(properties) && Array.isArray(required) ? required.map((name) => own(properties, String(name)) ?? true) : []
    if (Number(own(schema, 'minItems') ?? 0) > 0) needed.push(own(schema, 'items') ?? true)
    const first = own(schema, 'prefixItems')
    if (Array.isArray(first)) needed.push(...(first as unknown[]))
    return [needed.map((part) => this.flat.of(part)), (optionsOf(schema) ?? []).map((part) => this.flat.of(part))]
  }
}
