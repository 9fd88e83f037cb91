import type { Form } from './form.js'
import { passagesOf, type Shape } from './shape.js'
import { INTEGER, NUMBER, DATE, TEXT, type Declared, type ValueType } from '../values/types.js'
import type { PassageType } from '../text/nodes.js'

const OF_PASSAGE: Readonly<Record<PassageType, ValueType>> = { text: TEXT, integer: INTEGER, number: NUMBER, date: DATE }

/**
 * The type of an answer where other texts use it: a record of the columns that it fills (see `columnsOf`), or the text of a reply without an
 * output. With several possible outputs, a field that not all of them have is optional.
 */
export function answerTypeOf(shapes: readonly Shape[]): ValueType {
  if (shapes.length === 0) return TEXT
  const fields = new Map<string, Declared>()
  for (const shape of shapes) for (const field of fieldsOf(shape)) if (!fields.has(field.name)) fields.set(field.name, field)
  const inAll = (name: string) => shapes.every((shape) => fieldsOf(shape).some((field) => field.name === name && !field.optional))
  return { kind: 'record', fields: [...fields.values()].map((field) => ({ ...field, optional: !inAll(field.name) })) }
}

function fieldsOf(shape: Shape): readonly Declared[] {
  switch (shape.form) {
    case 'fields':
      return shape.fields
    case 'one-of':
      return [field(shape.field, { kind: 'choice', of: shape.of })]
    case 'rows':
      return [field('rows', { kind: 'table', fields: passageFields(shape) })]
    case 'document':
      return [...passageFields(shape), field('document', TEXT)]
  }
}

function passageFields(shape: Parameters<typeof passagesOf>[0]): Declared[] {
  const fields = new Map(passagesOf(shape).map(({ name, type }) => [name, field(name, OF_PASSAGE[type])]))
  return [...fields.values()]
}

function field(name: string, type: ValueType): Declared {
  return { name, type, optional: false, untrusted: false, span: undefined }
}

/** An answer as other texts use it: see `answerTypeOf`. */
export function answerOf(form: Form | undefined, value: unknown): unknown {
  return form ? form.columns(value) : value
}
