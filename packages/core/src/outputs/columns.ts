import { passagesOf, type Shape } from './shape.js'
import type { ValueType } from '../values/types.js'

/** A column that an answer fills; `labels` if its values are a few labels. */
export interface AnswerColumn {
  readonly name: string
  readonly labels: readonly string[] | undefined
  /** Set if its values are lists or records, which can become rows and columns of their own. */
  readonly nested?: 'list' | 'record'
  /** The fields of its record, or of each item of its list, if they are declared. */
  readonly fields?: readonly string[]
}

/** The column that a path such as `answer.rows` leads to; empty for `answer` alone. */
export function columnOfPath(path: string): string {
  return path.replace(/^answer(?:\.|$)/, '')
}

/** The columns of a reply that had no output: its text. */
export const PLAIN_COLUMN: AnswerColumn = { name: 'reply', labels: undefined }

/** The columns of all forms that a prompt's answers can have, each once. */
export function columnsOf(shapes: readonly Shape[]): AnswerColumn[] {
  if (shapes.length === 0) return [PLAIN_COLUMN]
  const columns = new Map<string, AnswerColumn>()
  for (const column of shapes.flatMap(ofShape)) {
    const known = columns.get(column.name)
    const labels = known?.labels && column.labels ? [...new Set([...known.labels, ...column.labels])] : column.labels
    columns.set(column.name, { ...column, name: column.name, labels: known && !known.labels ? undefined : labels })
  }
  return [...columns.values()]
}

function ofShape(shape: Shape): AnswerColumn[] {
  switch (shape.form) {
    case 'fields':
      return shape.fields.map(({ name, type }) => ({
        name,
        labels: type.kind === 'choice' ? type.of : type.kind === 'boolean' ? ['true', 'false'] : undefined,
        ...nesting(type),
      }))
    case 'one-of':
      return [{ name: shape.field, labels: shape.of }]
    case 'rows':
      return [{ name: 'rows', labels: undefined, nested: 'list', fields: passagesOf(shape).map(({ name }) => name) }]
    case 'document':
      return [...passagesOf(shape), { name: 'document' }].map(({ name }) => ({ name, labels: undefined }))
  }
}

function nesting(type: ValueType): Pick<AnswerColumn, 'nested' | 'fields'> {
  const item = type.kind === 'list' ? type.item : type
  const fields = item.kind === 'record' || item.kind === 'table' ? item.fields?.map(({ name }) => name) : undefined
  const nested = type.kind === 'list' || type.kind === 'table' ? 'list' : type.kind === 'record' ? 'record' : undefined
  return { ...(nested && { nested }), ...(fields && { fields }) }
}
