import { boundsInWords, meaningsOf } from '../interop/to-schema.js'
import type { Declared, ValueType } from '../values/types.js'

/** A type with its bounds, worded for instructions: `text, at most 8 words`. */
export function typeInWords(type: ValueType): string {
  return [kindInWords(type), ...boundsOf(type)].join(', ')
}

function kindInWords(type: ValueType): string {
  switch (type.kind) {
    case 'boolean':
      return 'true or false'
    case 'date':
      return 'date, YYYY-MM-DD'
    case 'date-time':
      return 'date-time, YYYY-MM-DDThh:mm:ss'
    case 'choice':
      return type.of.join(' | ')
    case 'table':
      return 'list of records'
    case 'list':
      return `list of ${type.item.kind === 'choice' ? `these: ${type.item.of.join(' | ')}` : typeInWords(type.item)}`
    default:
      return type.kind
  }
}

/** The bounds of a single value; `countInWords` has those of a list's length. */
function boundsOf(type: ValueType): string[] {
  const present = (...bounds: string[]) => bounds.filter((bound) => bound !== '')
  switch (type.kind) {
    case 'text':
      return present(
        boundsInWords(type.minWords, type.maxWords, 'word', 'words'),
        boundsInWords(type.minLength, type.maxLength, 'character', 'characters'),
        type.pattern === undefined ? '' : `matching ${type.pattern}`,
      )
    case 'integer':
    case 'number':
    case 'date':
    case 'date-time':
      return present(boundsInWords(type.min, type.max, '', '').trim())
    default:
      return []
  }
}

/** How many items a list or table has: `3 to 6 of them, none twice`; nothing where it is left open. */
export function countInWords(type: ValueType): string {
  if (type.kind !== 'list' && type.kind !== 'table' && type.kind !== 'record') return ''
  const count = boundsInWords(type.minItems, type.maxItems, 'of them', 'of them')
  const unique = type.kind === 'list' && type.unique ? 'no duplicates' : ''
  return [count, unique].filter((part) => part !== '').join(', ')
}

/** What a field is about, and what its labels mean. */
export function explained({ type, about }: Declared): string {
  return [about?.trim() ?? '', meaningsOf(type)].filter((part) => part !== '').join('; ')
}

/** The text after a field's type: whether it may be left out, and what it is about. */
export function noteOf(field: Declared): string {
  const { optional, default: fallback } = field
  const words = explained(field)
  return `${optional || fallback !== undefined ? '; optional' : ''}${words === '' ? '' : `: ${words}`}`
}
