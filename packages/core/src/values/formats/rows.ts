import { isRecord } from '../data.js'
import type { Declared, ValueType } from '../types.js'

/** A table, a list of records or one record, as rows with their declared fields. */
export function fieldsAndRows(value: unknown, type: ValueType): { rows: unknown[]; fields: readonly Declared[] | undefined } {
  const holder = type.kind === 'list' ? type.item : type
  const fields = holder.kind === 'record' || holder.kind === 'table' ? holder.fields : undefined
  return { rows: Array.isArray(value) ? value.filter(isRecord) : [value], fields }
}
