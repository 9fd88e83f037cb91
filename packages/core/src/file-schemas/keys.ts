import type { KeyKind } from '../artefacts/keys.js'
import type { JsonSchema } from '../interop/to-schema.js'

/** What one key is for, and what it takes where the kind of its value does not say it all. */
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

/** A map with the very keys that reading knows, each in words. */
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

/** What every artefact says of itself, in the same words. */
const OF_ALL = { title: 'What people call it.', about: 'What it is for.' } as const

/** The same for an artefact; every one may allow hidden signs too. */
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
