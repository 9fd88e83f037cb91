import { Ajv2020, type ErrorObject } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import type { Validator } from './library/outputs.js'
import type { SchemaFinding } from './outputs/shape.js'
import { patternWithin } from './values/pattern.js'

/**
 * Checks data by JSON Schemas (2020-12), for libraries whose outputs are some: `libraryFrom(files, { validator })`. It stands apart from the
 * rest since most libraries do without, and since it makes code of a schema, which some content security policies forbid.
 */
export const validator: Validator = (schema) => {
  const ajv = new Ajv2020({
    allErrors: true,
    strict: false,
    ownProperties: true,
    code: { regExp: Object.assign(patternWithin, { code: 'patternWithin' }) },
  })
  ;(addFormats as unknown as (to: Ajv2020) => void)(ajv)
  const check = ajv.compile(schema)
  return (data) => (check(data) ? [] : (check.errors ?? []).map((errorObject) => finding(errorObject, data)))
}

function finding({ instancePath, message, keyword, params }: ErrorObject, data: unknown): SchemaFinding {
  const text =
    keyword === 'additionalProperties'
      ? `must not have "${String(params['additionalProperty'])}"`
      : keyword === 'enum'
        ? `must be one of ${(params['allowedValues'] as unknown[]).map((item) => JSON.stringify(item)).join(', ')}`
        : (message ?? 'does not match the schema')
  return { field: pathOf(instancePath, data), message: text }
}

/** A JSON Pointer as people count: `parts.2.name`. */
function pathOf(pointer: string, data: unknown): string {
  let target = data
  return pointer
    .split('/')
    .slice(1)
    .map((step) => {
      const key = step.replaceAll('~1', '/').replaceAll('~0', '~')
      const list = Array.isArray(target)
      target = typeof target === 'object' && target !== null ? (target as Record<string, unknown>)[key] : undefined
      return list ? String(Number(key) + 1) : key
    })
    .join('.')
}
