import { NoSample, SampleRandom, sampleValue } from 'dunelight/host'
import type { Declared, JsonSchema, ValueType } from 'dunelight/parts'

/**
 * A schema as a part of another document, which names the dialect.
 *
 * @param id - What the schema is called if its parts refer to each other: then it is a schema of its own within the document.
 */
export function innerSchema({ $schema: _, $id: own, ...schema }: JsonSchema, id: string): JsonSchema {
  const refersToParts = JSON.stringify(schema).includes('"$ref"')
  return refersToParts ? { $id: own ?? `urn:dunelight:schema:${encodeURIComponent(id)}`, ...schema } : schema
}

/** Values that show what is meant: the examples and defaults of the declarations, else invented ones that fit. */
export function exampleOf(declared: readonly Declared[]): Readonly<Record<string, unknown>> {
  return Object.fromEntries(
    declared.flatMap(({ name, type, example, optional, default: usual }) => {
      const value = example ?? usual ?? (optional ? undefined : invented(name, type))
      return value === undefined ? [] : [[name, value]]
    }),
  )
}

function invented(name: string, type: ValueType): unknown {
  switch (type.kind) {
    case 'record':
      return exampleOf(type.fields ?? [])
    case 'table':
      return [exampleOf(type.fields ?? [])]
    case 'file':
      return { name: `${name}.md`, mediaType: 'text/markdown', text: `The text of "${name}".` }
    case 'turns':
      return []
    case 'list':
      return [invented(name, type.item)]
    default:
      return sampleOf(name, type)
  }
}

function sampleOf(name: string, type: ValueType): unknown {
  try {
    return sampleValue(type, new SampleRandom(1), name)
  } catch (fault) {
    if (fault instanceof NoSample) return undefined
    throw fault
  }
}
