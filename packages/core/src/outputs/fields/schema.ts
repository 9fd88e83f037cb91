import type { FieldsShape } from '../shape.js'
import { strictSchema } from '../../interop/strict-schema.js'
import { schemaOf, type JsonSchema } from '../../interop/to-schema.js'

/** The JSON Schema of the data. A file that is a schema is given as it is, or in the strict profile. */
export function fieldsSchema(shape: FieldsShape, strict: boolean): JsonSchema {
  if (shape.schema) return strict ? strictSchema(shape.schema) : shape.schema
  const { $schema, ...rest } = schemaOf(shape.fields, shape.name, { closed: true, boundsInText: true, strict })
  return { $schema, ...(shape.about !== undefined && { description: shape.about }), ...rest }
}
