import { orNull, type JsonSchema } from './to-schema.js'
import { pointed, withSubschemas } from './subschemas.js'
import { isRecord, own } from '../values/data.js'

/** Where a demand for more, or for nothing else, would change what the schema around it means. */
const CONDITIONS = ['not', 'if', 'contains', 'propertyNames', 'dependentSchemas']

/**
 * A JSON Schema in the profile that some model services ask for: every property is required, null where it may be missing, and no object
 * has others. References stay references.
 */
export function strictSchema(root: JsonSchema): JsonSchema {
  const joined = joinedParts(root)
  const strict = (schema: unknown): unknown => {
    if (!isRecord(schema)) return schema
    const { default: _, ...inner } = withSubschemas(schema, strict, CONDITIONS)
    const properties = own(inner, 'properties')
    if (!isRecord(properties))
      return Array.isArray(inner['allOf']) && !joined.has(schema) ? { ...inner, unevaluatedProperties: false } : inner
    const required = new Set(own(schema, 'required') as unknown[] | undefined)
    const whole = Object.entries(properties).map(([name, property]) => [name, required.has(name) ? property : nullable(property)])
    return {
      ...inner,
      properties: Object.fromEntries(whole) as object,
      required: Object.keys(properties),
      ...(!joined.has(schema) && { [Array.isArray(inner['allOf']) ? 'unevaluatedProperties' : 'additionalProperties']: false }),
    }
  }
  const schema = strict(root) as Record<string, unknown>
  return own(schema, 'type') === undefined ? { ...schema, type: 'object' } : schema
}

function nullable(schema: unknown): unknown {
  if (!isRecord(schema)) return schema
  const { title, description, ...rest } = schema
  if (typeof own(rest, 'type') === 'string') return orNull(schema)
  return { ...(title !== undefined && { title }), ...(description !== undefined && { description }), anyOf: [rest, { type: 'null' }] }
}

/** The schemas that `allOf` joins with others: each sees the properties of all. */
function joinedParts(root: JsonSchema): ReadonlySet<unknown> {
  const joined = new Set<unknown>()
  const join = (part: unknown) => {
    if (!isRecord(part) || joined.has(part)) return
    joined.add(part)
    const reference = own(part, '$ref')
    if (typeof reference === 'string') join(pointed(root, reference))
  }
  const visit = (schema: unknown): unknown => {
    if (!isRecord(schema)) return schema
    if (Array.isArray(schema['allOf'])) schema['allOf'].forEach(join)
    return withSubschemas(schema, visit)
  }
  visit(root)
  return joined
}
