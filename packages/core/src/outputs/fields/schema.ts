import type { FieldsShape } from '../shape.js'
import { innerSchema, schemaOf, type JsonSchema } from '../../interop/to-schema.js'

/** The JSON Schema of the data. A file that is a schema is given as it is; the strict profile is made of its fields. */
export function fieldsSchema(shape: FieldsShape, strict: boolean): JsonSchema {
  if (shape.schema && !strict) return shape.schema
  const { $schema, ...rest } = schemaOf(shape.fields, shape.name, { closed: true, told: true, strict })
  return { $schema, ...(shape.about !== undefined && { description: shape.about }), ...rest }
}

/** A schema as an instruction shows it. */
export function plainSchema(shape: FieldsShape): JsonSchema {
  return innerSchema(fieldsSchema(shape, false), '$id', 'title')
}
