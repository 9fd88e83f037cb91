import type { KeyKind } from '../artefacts/keys.js'
import type { JsonSchema } from '../interop/to-schema.js'

/** The purpose of a key, and its values if their type alone does not describe them. */
export type KeyWords = string | readonly [about: string, takes: JsonSchema]

/** Whatever YAML takes for a text: `version: 3` is a number there. */
export const SCALAR: JsonSchema = { type: ['string', 'number', 'boolean'] }

const OF_KIND: Readonly<Record<KeyKind, JsonSchema>> = {
  text: SCALAR,
  map: { type: 'object' },
  list: { type: 'array' },
  integer: { type: 'integer' },
  number: { type: 'number' },
  boolean: { type: 'boolean' },
  any: {},
}

/** A map with exactly the keys that the reader accepts, each described. */
export function mapSchema<K extends string>(
  known: Readonly<Record<K, KeyKind>>,
  words: Readonly<Record<K, KeyWords>>,
  required: readonly NoInfer<K>[] = [],
): JsonSchema {
  const properties = Object.fromEntries(
    (Object.keys(known) as K[]).map((key) => {
      const stated = words[key]
      const [about, takes] = typeof stated === 'string' ? [stated, undefined] : stated
      return [key, { description: about, ...OF_KIND[known[key]], ...takes }]
    }),
  )
  return { type: 'object', properties, additionalProperties: false, ...(required.length > 0 && { required }) }
}

/** Keys of every artefact, with the same descriptions. */
const OF_ALL = { title: 'What people call it.', about: 'What it is for.' } as const

/** The same for an artefact; each may also allow invisible characters. */
export function artefactSchema<K extends string>(
  known: Readonly<Record<K, KeyKind>>,
  words: Readonly<Record<Exclude<K, keyof typeof OF_ALL>, KeyWords>>,
  required: readonly NoInfer<K>[] = [],
): JsonSchema {
  const allow = ['Invisible characters that its texts may contain, by code point: U+200D.', texts] as const
  return mapSchema<string>({ ...known, allow: 'list' }, { ...OF_ALL, ...words, allow }, required)
}

export const texts: JsonSchema = listOf(SCALAR)

export function listOf(items: JsonSchema): JsonSchema {
  return { type: 'array', items }
}

/** A map whose keys are names of the author's. */
export function mapOf(values: JsonSchema): JsonSchema {
  return { type: 'object', additionalProperties: values }
}

export function oneOf(words: readonly string[]): JsonSchema {
  return { type: 'string', enum: words }
}

export function ref(name: string): JsonSchema {
  return { $ref: `#/$defs/${name}` }
}

/** A schema or another: without a type of its own beside them. */
export function either(...schemas: readonly JsonSchema[]): JsonSchema {
  return { anyOf: schemas }
}
