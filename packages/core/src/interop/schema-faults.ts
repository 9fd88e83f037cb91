import { LIST, NAMED, ONE, pointed } from './subschemas.js'
import type { JsonSchema } from './to-schema.js'
import { isRecord, own } from '../values/data.js'
import { patternRefused } from '../values/pattern.js'

/** Deeper than any reply is. */
const DEEPEST = 100
const BOUNDS = [
  ['minimum', 'maximum'],
  ['minLength', 'maxLength'],
  ['minItems', 'maxItems'],
  ['minProperties', 'maxProperties'],
] as const
const TYPES = ['string', 'integer', 'number', 'boolean', 'array', 'object', 'null']

/** What no reply could ever fit in a JSON Schema, or what cannot be followed: one sentence each, with the place as a JSON Pointer. */
export function schemaFaults(root: JsonSchema): string[] {
  const faults: string[] = []
  const visit = (schema: unknown, pointer: string, depth = 0) => {
    if (depth > DEEPEST) {
      if (depth === DEEPEST + 1) faults.push(`${pointer.slice(0, 60)}… is nested more than ${DEEPEST} deep`)
      return
    }
    if (!isRecord(schema)) {
      if (typeof schema !== 'boolean') faults.push(`${pointer} is not a schema`)
      return
    }
    faults.push(...faultsOf(schema, root).map((fault) => `${pointer}: ${fault}`))
    for (const word of ONE) if (own(schema, word) !== undefined) visit(own(schema, word), `${pointer}/${word}`, depth + 1)
    for (const word of LIST) {
      const list = own(schema, word) ?? schema[word]
      if (Array.isArray(list)) list.forEach((value, i) => visit(value, `${pointer}/${word}/${i}`, depth + 1))
    }
    for (const word of NAMED) {
      const named = own(schema, word)
      if (isRecord(named)) for (const [name, subschema] of Object.entries(named)) visit(subschema, `${pointer}/${word}/${name}`, depth + 1)
    }
  }
  visit(root, '#')
  return faults
}

function faultsOf(schema: Record<string, unknown>, root: JsonSchema): string[] {
  const faults: string[] = []
  const reference = own(schema, '$ref')
  if (typeof reference === 'string' && !pointed(root, reference)) faults.push(`"${reference}" does not exist`)
  const pattern = own(schema, 'pattern')
  const refused = typeof pattern === 'string' ? patternRefused(pattern) : undefined
  if (refused !== undefined) faults.push(`its pattern ${String(pattern)} cannot be used: ${refused}`)
  const options = own(schema, 'enum')
  if (options !== undefined && (!Array.isArray(options) || options.length === 0)) faults.push('its enum has no value')
  for (const type of [own(schema, 'type')].flat())
    if (type !== undefined && !TYPES.includes(type as string)) faults.push(`unknown type ${JSON.stringify(type)}`)
  for (const [least, most] of BOUNDS) {
    const [low, high] = [own(schema, least), own(schema, most)]
    if (typeof low === 'number' && typeof high === 'number' && low > high) faults.push(`"${least}: ${low}" is above "${most}: ${high}"`)
  }
  return faults
}
