import { pointed } from './subschemas.js'
import type { JsonSchema } from './to-schema.js'
import { isRecord, own } from '../values/data.js'

/** Keywords that assert nothing: beside a reference they change nothing. */
const NOTES = new Set(
  'title description default examples deprecated readOnly writeOnly $comment $schema $id $anchor $defs definitions'.split(' '),
)

const ANYTHING: JsonSchema = {}
const NOTHING: JsonSchema = { not: {} }

/** The schemas of one document with their references followed and their `allOf` joined, each once: a schema that contains itself stays finite. */
export class FlatSchemas {
  /** Whether nothing was lost by joining. */
  exact = true
  private readonly known = new Map<unknown, JsonSchema>()

  constructor(private readonly root: JsonSchema) {}

  /** The same object for the same schema, so that a schema met again can be recognised. */
  of(schema: unknown): JsonSchema {
    if (!isRecord(schema)) {
      this.exact = false
      return schema === false ? NOTHING : ANYTHING
    }
    let flat = this.known.get(schema)
    if (!flat) {
      // A schema that leads to itself alone demands nothing.
      this.known.set(schema, {})
      flat = this.joined(schema)
      this.known.set(schema, flat)
    }
    return flat
  }

  private joined(schema: Record<string, unknown>): JsonSchema {
    const { $ref, allOf, ...rest } = schema
    const parts: JsonSchema[] = []
    if (typeof $ref === 'string') parts.push(this.of(pointed(this.root, $ref)))
    if (Array.isArray(allOf)) parts.push(...allOf.map((part) => this.of(part)))
    const [first] = parts
    if (!first) return schema
    const asserts = Object.keys(rest).some((keyword) => !NOTES.has(keyword))
    if (parts.length === 1 && !asserts) return first
    this.exact = false
    return [...parts, rest].reduce(join)
  }
}

/** Two schemas as one that asks for both, where that is simple: of two bounds the narrower, of two types the later. */
function join(left: JsonSchema, right: JsonSchema): JsonSchema {
  const properties = { ...(own(left, 'properties') as object | undefined), ...(own(right, 'properties') as object | undefined) }
  const required = [own(left, 'required'), own(right, 'required')].flatMap((names) => (Array.isArray(names) ? (names as unknown[]) : []))
  const narrower = (keywords: readonly string[], pick: (...bounds: number[]) => number) =>
    Object.fromEntries(
      keywords.flatMap((keyword): [string, number][] => {
        const bounds = [own(left, keyword), own(right, keyword)].filter((bound) => typeof bound === 'number')
        return bounds.length > 1 ? [[keyword, pick(...bounds)]] : []
      }),
    )
  return {
    ...left,
    ...right,
    ...narrower(['minimum', 'minLength', 'minItems'], Math.max),
    ...narrower(['maximum', 'maxLength', 'maxItems'], Math.min),
    ...(Object.keys(properties).length > 0 && { properties }),
    ...(required.length > 0 && { required: [...new Set(required)] }),
  }
}
