import { explained, noteOf, countInWords, typeInWords } from '../words.js'
import { asking, type Instruction } from '../kind.js'
import type { FieldsShape } from '../shape.js'
import type { Declared, ValueType } from '../../values/types.js'

/** A nested record longer than this is written on several lines. */
const WIDTH = 100

export function instructFields(shape: FieldsShape): Instruction {
  return asking(textOf(shape))
}

function textOf(shape: FieldsShape): string {
  switch (shape.show) {
    case 'description':
      return `Answer with a JSON object and nothing else. Its keys:\n${bullets(shape.fields, '')}`
    default:
      return `Answer with JSON and nothing else, in this form:\n${skeleton(shape.fields, '')}`
  }
}

/** The members of an object, each value a passage. */
function skeleton(fields: readonly Declared[], indent: string): string {
  const inner = `${indent}  `
  const lines = fields.map((field) => `${inner}${JSON.stringify(field.name)}: ${passage(field.type, noteOf(field), inner)}`)
  return `{\n${lines.join(',\n')}\n${indent}}`
}

function passage(type: ValueType, note: string, indent: string): string {
  if (type.kind === 'list' && !recordIn(type.item)) {
    const count = countInWords(type)
    return `[${quoted(type.item, `${typeInWords(type.item)}${count === '' ? '' : `; ${count}`}${note}`)}]`
  }
  if (type.kind === 'list' || type.kind === 'table') {
    const item = passage(type.kind === 'list' ? type.item : { kind: 'record', ...(type.fields && { fields: type.fields }) }, '', indent)
    const count = countInWords(type)
    return `[${item}, "<${count === '' ? 'any number of these' : count.replaceAll('of them', 'of these')}${note}>"]`
  }
  if (type.kind === 'record' && type.fields) {
    const compact = `{ ${type.fields.map((field) => `${JSON.stringify(field.name)}: ${passage(field.type, noteOf(field), '')}`).join(', ')} }`
    const whole = compact.length + indent.length <= WIDTH && !compact.includes('\n') ? compact : skeleton(type.fields, indent)
    return note === '' ? whole : `${whole} <${note.replace(/^[;:] ?/, '')}>`
  }
  return quoted(type, typeInWords(type) + note)
}

/** Texts are in quotes, as in the answer; numbers and yes or no are not. */
function quoted(type: ValueType, words: string): string {
  const bare = type.kind === 'integer' || type.kind === 'number' || type.kind === 'boolean'
  return bare ? `<${words}>` : `"<${words}>"`
}

function recordIn(type: ValueType): boolean {
  return type.kind === 'record' || type.kind === 'table' || type.kind === 'list'
}

function bullets(fields: readonly Declared[], indent: string): string {
  return fields
    .map((field) => {
      const { name, type, optional, default: fallback } = field
      const count = countInWords(type)
      const words = [typeInWords(type), count, explained(field)].filter((part) => part !== '').join('; ')
      const inner = fieldsWithin(type)
      return `${indent}- ${name}${optional || fallback !== undefined ? ' (optional)' : ''}: ${words}${inner ? `\n${bullets(inner, `${indent}  `)}` : ''}`
    })
    .join('\n')
}

function fieldsWithin(type: ValueType): readonly Declared[] | undefined {
  if (type.kind === 'list') return fieldsWithin(type.item)
  return type.kind === 'record' || type.kind === 'table' ? type.fields : undefined
}
