import { isDate, readDateTime } from './dates.js'
import type { Declared, ValueType } from './types.js'

/** Whether every value of the type `given` may be used where `wanted` is declared. A value of an open record never is: only its content decides. */
export function fits(valueType: ValueType, wanted: ValueType): boolean {
  switch (wanted.kind) {
    case 'any':
      return true
    case 'text':
      return valueType.kind === 'text' || valueType.kind === 'choice'
    case 'number':
      return valueType.kind === 'number' || valueType.kind === 'integer'
    case 'choice':
      return valueType.kind === 'choice' && valueType.of.every((option) => wanted.of.includes(option))
    case 'list':
      return valueType.kind === 'list' && fits(valueType.item, wanted.item)
    case 'record':
    case 'table':
      return (
        (valueType.kind === wanted.kind || (wanted.kind === 'table' && valueType.kind === 'list' && valueType.item.kind === 'record')) &&
        fieldsFit(fieldsOfType(valueType), wanted.fields)
      )
    default:
      return valueType.kind === wanted.kind
  }
}

function fieldsOfType(type: ValueType): readonly Declared[] | undefined {
  if (type.kind === 'list') return fieldsOfType(type.item)
  return type.kind === 'record' || type.kind === 'table' ? type.fields : undefined
}

/** A record fits if it has the needed fields with fitting types, none of which may be missing where it is needed. */
function fieldsFit(available: readonly Declared[] | undefined, wanted: readonly Declared[] | undefined): boolean {
  if (!wanted) return true
  if (!available) return false
  return wanted.every((field) => {
    const own = available.find((g) => g.name === field.name)
    const optional = field.optional || field.default !== undefined
    return own ? fits(own.type, field.type) && (optional || !own.optional) : optional
  })
}

/** Whether a literal may be used where `wanted` is declared: a text is also a date that it spells, or an option. */
export function literalFits(value: string | number | boolean, wanted: ValueType): boolean {
  switch (wanted.kind) {
    case 'any':
      return true
    case 'text':
      return typeof value === 'string'
    case 'choice':
      return typeof value === 'string' && wanted.of.includes(value)
    case 'integer':
      return Number.isInteger(value)
    case 'number':
      return typeof value === 'number'
    case 'boolean':
      return typeof value === 'boolean'
    case 'date':
      return typeof value === 'string' && isDate(value)
    case 'date-time':
      return typeof value === 'string' && readDateTime(value) !== undefined
    default:
      return false
  }
}
