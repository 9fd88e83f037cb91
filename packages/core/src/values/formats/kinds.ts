import type { Argument, Format, Parameter, Setting } from './format.js'
import { isFreeText, listOf, TEXT, type ValueType } from '../types.js'

type Write<V> = (value: V, args: readonly Argument[], setting: Setting, type: ValueType) => unknown

interface FormatDefinition<V> {
  readonly name: string
  readonly about: string
  readonly parameters: readonly Parameter[]
  readonly write: Write<V>
}

/** The result of a format for single values: for a list, a list of results. */
function single(takes: (type: ValueType) => boolean, gives: ValueType) {
  return (type: ValueType): ValueType | undefined => {
    if (type.kind === 'list') return takes(type.item) ? listOf(gives) : undefined
    return takes(type) ? gives : undefined
  }
}

const isText = (type: ValueType) => type.kind === 'text' || type.kind === 'choice' || type.kind === 'file'
const isNumber = (type: ValueType) => type.kind === 'integer' || type.kind === 'number'
const isDate = (type: ValueType) => type.kind === 'date' || type.kind === 'date-time'

/** What a format of text gives for a choice is still one of few wordings, and no free text. */
function textual(type: ValueType): ValueType | undefined {
  if (type.kind === 'list') return isText(type.item) ? listOf(isFreeText(type.item) ? TEXT : type.item) : undefined
  return isText(type) ? (isFreeText(type) ? TEXT : type) : undefined
}

export function textFormat(definition: FormatDefinition<string>): Format {
  return { ...definition, takes: 'text', maps: true, gives: textual, write: definition.write }
}

/** Numbers, dates and booleans written as text contain no untrusted words: the result counts as a choice. */
const NO_FREE_TEXT: ValueType = { kind: 'choice', of: [] }

export function numberFormat(definition: FormatDefinition<number>): Format {
  return { ...definition, takes: 'numbers', maps: true, gives: single(isNumber, NO_FREE_TEXT), write: definition.write }
}

export function dateFormat(definition: FormatDefinition<string>): Format {
  return { ...definition, takes: 'dates', maps: true, gives: single(isDate, NO_FREE_TEXT), write: definition.write }
}

export function booleanFormat(definition: FormatDefinition<boolean>): Format {
  return {
    ...definition,
    takes: 'booleans',
    maps: true,
    gives: single((type) => type.kind === 'boolean', NO_FREE_TEXT),
    write: definition.write,
  }
}

/** A list to another list of the same items. */
export function listToList(definition: FormatDefinition<unknown[]>): Format {
  return {
    ...definition,
    takes: 'lists',
    gives: (type) => (type.kind === 'list' || type.kind === 'table' ? type : undefined),
    write: definition.write,
  }
}

/** A list to text: what it gives is free text where its items are. */
export function listToText(definition: FormatDefinition<unknown[]>): Format {
  return {
    ...definition,
    takes: 'lists',
    gives: (type) => (type.kind === 'list' || type.kind === 'table' ? (isFreeText(type) ? TEXT : NO_FREE_TEXT) : undefined),
    write: definition.write,
  }
}

/** Numbers of a list to one number. */
export function listToNumber(definition: FormatDefinition<number[]>): Format {
  return {
    ...definition,
    takes: 'lists of numbers',
    gives: (type) => (type.kind === 'list' && isNumber(type.item) ? { kind: 'number' } : undefined),
    write: definition.write,
  }
}

/** Anything to text. */
export function anyToText(
  definition: FormatDefinition<unknown>,
  takes = 'any value',
  fits: (type: ValueType) => boolean = () => true,
): Format {
  return {
    ...definition,
    takes,
    gives: (type) => (fits(type) ? (isFreeText(type) ? TEXT : NO_FREE_TEXT) : undefined),
    write: definition.write,
  }
}
