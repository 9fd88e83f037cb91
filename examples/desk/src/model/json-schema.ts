import { Validator as SchemaReader } from '@cfworker/json-schema'
import type { Validator } from 'dunelight/parts'

/** Checks data by JSON Schemas without making code of them, which this page's content security policy forbids. */
export const validator: Validator = (schema) => {
  const reader = new SchemaReader(schema, '2020-12', false)
  return (data) =>
    reader
      .validate(data)
      // An error that only points to errors inside a value is left out: the inner ones have the details.
      .errors.filter(({ keyword }) => !WITHIN.has(keyword))
      .map(({ instanceLocation, error }) => ({ field: pathOf(instanceLocation), message: error.replace(/\.$/, '') }))
}

const WITHIN = new Set(['properties', 'items', 'prefixItems', 'allOf', '$ref', 'if', 'then', 'else', 'false'])

/** `#/parts/1/name` as people count: `parts.2.name`. */
function pathOf(pointer: string): string {
  return pointer
    .replace(/^#\/?/, '')
    .split('/')
    .map((step) => decodeURIComponent(step).replaceAll('~1', '/').replaceAll('~0', '~'))
    .map((step) => (/^\d+$/.test(step) ? String(Number(step) + 1) : step))
    .join('.')
}
