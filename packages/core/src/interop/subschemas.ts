import type { JsonSchema } from './to-schema.js'
import { isRecord, own } from '../values/data.js'

/** Keywords whose value is a schema, a list of schemas, or schemas by name. */
export const ONE = [
  'items',
  'contains',
  'not',
  'if',
  'then',
  'else',
  'additionalProperties',
  'propertyNames',
  'unevaluatedItems',
  'unevaluatedProperties',
]
export const LIST = ['allOf', 'anyOf', 'oneOf', 'prefixItems']
export const NAMED = ['properties', 'patternProperties', '$defs', 'definitions', 'dependentSchemas']

/** The same schema with each schema directly in it replaced, but for those under the keywords in `except`. */
export function withSubschemas(
  schema: JsonSchema,
  replace: (subschema: unknown, keyword: string) => unknown,
  except: readonly string[] = [],
): Record<string, unknown> {
  const changed = (keyword: string, value: unknown): unknown => {
    if (except.includes(keyword)) return value
    if (ONE.includes(keyword)) return replace(value, keyword)
    if (LIST.includes(keyword) && Array.isArray(value)) return value.map((item) => replace(item, keyword))
    if (NAMED.includes(keyword) && isRecord(value))
      return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, replace(item, keyword)]))
    return value
  }
  return Object.fromEntries(Object.entries(schema).map(([keyword, value]) => [keyword, changed(keyword, value)]))
}

/** What a JSON Pointer (RFC 6901) leads to within the document. */
export function pointed(root: JsonSchema, reference: string): JsonSchema | undefined {
  if (!reference.startsWith('#')) return undefined
  let target: unknown = root
  for (const step of reference.slice(1).split('/').slice(1)) {
    const key = unescaped(step)
    target = Array.isArray(target) ? target[Number(key)] : own(target, key)
  }
  return isRecord(target) ? target : undefined
}

function unescaped(step: string): string {
  try {
    return decodeURIComponent(step).replaceAll('~1', '/').replaceAll('~0', '~')
  } catch {
    return step
  }
}
