import type { FieldsModel } from './artefacts.js'
import { artefactOf, type Reading } from './reading.js'
import { schemaFaults } from '../interop/schema-faults.js'
import { fieldsOfSchema } from '../interop/schema-types.js'
import { DRAFT, type JsonSchema } from '../interop/to-schema.js'
import { problem } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import { isRecord, own } from '../values/data.js'

/** outputs/NAME.schema.json: a JSON Schema as it is. Its fields are known as far as declarations can express them. */
export function readSchemaOutput(reading: Reading): FieldsModel {
  const { root, report } = reading
  const content = root.data() as JsonSchema
  const draft = own(content, '$schema')
  const placeOf = (key: string) => valueAt(root, key) ?? root
  const broken = (why: string, node: YamlNode = root) => report(problem('schema-invalid', { why }, node.span))
  if (draft !== undefined && draft !== DRAFT) broken(`its draft is ${JSON.stringify(draft)}, and only 2020-12 is read`, placeOf('$schema'))
  const faults = schemaFaults(content)
  for (const fault of faults) broken(fault)
  const text = (key: string) => {
    const value = own(content, key)
    return typeof value === 'string' ? value : undefined
  }
  const { fields, whole } = fieldsOfSchema(content)
  return {
    kind: 'output',
    ...artefactOf(reading),
    title: text('title'),
    about: text('description'),
    basedOn: undefined,
    show: 'json-schema',
    mustSay: [],
    mustNotSay: [],
    slots: [],
    form: 'fields',
    fields,
    schema: {
      content,
      isValid: faults.length === 0 && (draft === undefined || draft === DRAFT),
      whole: whole && isUniform(content),
    },
  }
}

/** Whether all its records allow further fields, or none does: declarations cannot express it for some only. */
function isUniform(schema: JsonSchema): boolean {
  const closed = new Set<boolean>()
  const visit = (item: unknown) => {
    if (Array.isArray(item)) item.forEach(visit)
    if (!isRecord(item)) return
    if (isRecord(own(item, 'properties'))) closed.add(own(item, 'additionalProperties') === false)
    if (isRecord(own(item, 'additionalProperties'))) closed.add(true).add(false)
    Object.values(item).forEach(visit)
  }
  visit(schema)
  return closed.size <= 1
}

function valueAt(root: YamlNode, key: string): YamlNode | undefined {
  return root.entries().find((entry) => entry.key === key)?.value
}
