import type { Label } from './labels.js'
import type { Span } from '../source/source.js'

/** The types that a variable or field can be declared with. */
export const TYPE_NAMES = [
  'text',
  'integer',
  'number',
  'boolean',
  'date',
  'date-time',
  'choice',
  'list',
  'record',
  'table',
  'file',
  'turns',
] as const

export interface TextType {
  readonly kind: 'text'
  readonly minLength?: number
  readonly maxLength?: number
  readonly minWords?: number
  readonly maxWords?: number
  readonly pattern?: string
}
export interface NumberType {
  readonly kind: 'integer' | 'number'
  readonly min?: number
  readonly max?: number
}
export interface BooleanType {
  readonly kind: 'boolean'
  /** `mark`: any character in a cell is yes, an empty cell is no. */
  readonly reads?: string
}
export interface DateType {
  readonly kind: 'date' | 'date-time'
  readonly min?: string
  readonly max?: string
  readonly reads?: string
}
export interface ChoiceType {
  readonly kind: 'choice'
  readonly of: readonly string[]
  /** What the options mean, if any is explained. */
  readonly labels?: readonly Label[]
}
export interface ListType {
  readonly kind: 'list'
  readonly item: ValueType
  readonly minItems?: number
  readonly maxItems?: number
  readonly unique?: boolean
  readonly splits?: string
}
/** A record, or a table of them. Without `fields` it is open: its content is known at rendering. */
export interface RecordType {
  readonly kind: 'record' | 'table'
  readonly fields?: readonly Declared[]
  readonly minItems?: number
  readonly maxItems?: number
}
export interface FileType {
  readonly kind: 'file'
  readonly media?: readonly string[]
}
export interface TurnsType {
  readonly kind: 'turns'
}
/** A value of an open record: its type is known only at rendering. */
export interface AnyType {
  readonly kind: 'any'
}
/** The type of a variable or field. */
export type ValueType = TextType | NumberType | BooleanType | DateType | ChoiceType | ListType | RecordType | FileType | TurnsType | AnyType

/** A declared variable or field. */
export interface Declared {
  readonly name: string
  readonly type: ValueType
  readonly optional: boolean
  readonly default?: unknown
  readonly untrusted: boolean
  readonly about?: string
  readonly question?: string
  readonly example?: unknown
  readonly span: Span | undefined
}

export const TEXT: TextType = { kind: 'text' }
export const INTEGER: NumberType = { kind: 'integer' }
export const NUMBER: NumberType = { kind: 'number' }
export const BOOLEAN: BooleanType = { kind: 'boolean' }
export const DATE: DateType = { kind: 'date' }
export const DATE_TIME: DateType = { kind: 'date-time' }
export const ANY: AnyType = { kind: 'any' }

export function listOf(item: ValueType): ListType {
  return { kind: 'list', item }
}

const ARTICLES: Partial<Record<ValueType['kind'], string>> = {
  integer: 'an integer',
  text: 'text',
  turns: 'turns',
  any: 'a value of an open record',
}

/**
 * Describes a type in words.
 *
 * @param type - The type.
 * @returns The description, with an article.
 * @example
 * describe({ kind: 'list', item: { kind: 'text' } }) // => 'a list of text'
 */
export function describe(type: ValueType): string {
  switch (type.kind) {
    case 'choice':
      return `one of ${type.of.join(', ')}`
    case 'list':
      return `a list of ${type.item.kind === 'choice' ? `choices (${type.item.of.join(', ')})` : type.item.kind}`
    default:
      return ARTICLES[type.kind] ?? `a ${type.kind}`
  }
}

/** What `each` takes out of a value of this type, or undefined where it cannot go through it. */
export function itemType(type: ValueType): ValueType | undefined {
  switch (type.kind) {
    case 'list':
      return type.item
    case 'table':
      return { kind: 'record', ...(type.fields && { fields: type.fields }) }
    case 'record':
      return { kind: 'record', fields: [entryField('key', TEXT), entryField('value', entryType(type))] }
    case 'any':
      return ANY
    default:
      return undefined
  }
}

function entryField(name: string, type: ValueType): Declared {
  return { name, type, optional: true, untrusted: false, span: undefined }
}

/** The one type of all fields of a record, if they have one. */
function entryType(type: RecordType): ValueType {
  const kinds = new Set((type.fields ?? []).map((f) => f.type.kind))
  return kinds.size === 1 && type.fields?.[0] ? type.fields[0].type : ANY
}

/** Whether a value of this type can contain free text: sentences that a person outside the team may have written. */
export function isFreeText(type: ValueType): boolean {
  switch (type.kind) {
    case 'text':
    case 'record':
    case 'table':
    case 'file':
    case 'turns':
    case 'any':
      return true
    case 'list':
      return isFreeText(type.item)
    default:
      return false
  }
}

/** The sorts of values that can be compared with each other. */
export function comparable(type: ValueType): 'text' | 'number' | 'boolean' | 'date' | 'any' | undefined {
  switch (type.kind) {
    case 'text':
    case 'choice':
      return 'text'
    case 'integer':
    case 'number':
      return 'number'
    case 'boolean':
      return 'boolean'
    case 'date':
    case 'date-time':
      return 'date'
    case 'any':
      return 'any'
    default:
      return undefined
  }
}

/** The order in which the fields of a record, or of the records in it, are written; undefined where there are none. */
export function fieldOrder(type: ValueType): string | undefined {
  if (type.kind === 'list') return fieldOrder(type.item)
  if ((type.kind !== 'record' && type.kind !== 'table') || !type.fields) return undefined
  return type.fields.map((field) => `${field.name}(${fieldOrder(field.type) ?? ''})`).join(',')
}
