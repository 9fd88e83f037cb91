import { isMissing, isRecord, lineEnds, own } from './data.js'
import { plainNumber, type Numeric } from './numbers.js'
import type { Declared, ValueType } from './types.js'

/** How a value is written without a format (language §2). */
export function write(value: unknown, type: ValueType): string {
  if (isMissing(value)) return ''
  switch (type.kind) {
    case 'text':
    case 'choice':
    case 'date':
    case 'date-time':
      return value as string
    case 'integer':
    case 'number':
      return plainNumber(value as Numeric)
    case 'boolean':
      return value === true ? 'yes' : 'no'
    case 'list':
      return present(value as unknown[])
        .map((item) => writeInner(item, type.item))
        .join(', ')
    case 'record':
      return fieldsOf(value, type.fields)
        .map((f) => `${f.key}: ${writeInner(f.value, f.type)}`)
        .join('\n')
    case 'table':
      return writeTable(value as unknown[], type.fields)
    case 'file':
      return lineEnds((own(value, 'text') as string | undefined) ?? '')
    case 'turns':
      return (value as { role: string; text: string }[]).map((turn) => `${turn.role}: ${turn.text}`).join('\n')
    case 'any':
      return write(value, typeOfValue(value))
  }
}

/** Within a list or a record, records and lists stand as compact JSON. */
export function writeInner(value: unknown, type: ValueType): string {
  const known = type.kind === 'any' ? typeOfValue(value) : type
  return known.kind === 'list' || known.kind === 'record' || known.kind === 'table' ? JSON.stringify(toJson(value)) : write(value, known)
}

export function present(list: readonly unknown[]): unknown[] {
  return list.filter((item) => !isMissing(item))
}

/** The type that a value of an open record turns out to have. */
export function typeOfValue(value: unknown): ValueType {
  if (typeof value === 'number' || typeof value === 'bigint') return { kind: 'number' }
  if (typeof value === 'boolean') return { kind: 'boolean' }
  if (value instanceof Date) return { kind: 'date-time' }
  if (Array.isArray(value)) return value.length > 0 && value.every(isRecord) ? { kind: 'table' } : { kind: 'list', item: { kind: 'any' } }
  if (isRecord(value)) return { kind: 'record' }
  return { kind: 'text' }
}

/** A value of an open record in the form that its type is worked with: line ends as `\n`, dates as ISO text, functions as absent. */
export function settle(value: unknown): unknown {
  if (typeof value === 'string') return lineEnds(value)
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? null : value.toISOString().replace(/\.\d+Z$/, 'Z')
  if (typeof value === 'function' || typeof value === 'symbol') return undefined
  return value
}

export interface Field {
  readonly key: string
  readonly value: unknown
  readonly type: ValueType
}

/** A record's fields that have a value: in declared order, then its own. */
export function fieldsOf(record: unknown, declared: readonly Declared[] | undefined): Field[] {
  const types = new Map((declared ?? []).map((d) => [d.name, d.type]))
  const keys = new Set([...types.keys(), ...(isRecord(record) ? Object.keys(record) : [])])
  const fields: Field[] = []
  for (const key of keys) {
    const value = settle(own(record, key))
    if (!isMissing(value)) fields.push({ key: lineEnds(key), value, type: types.get(key) ?? { kind: 'any' } })
  }
  return fields
}

/** The columns of a table: declared ones, then those that its rows carry, in order of first appearance. */
export function columnsOf(rows: readonly unknown[], declared: readonly Declared[] | undefined): Declared[] {
  const columns = new Map((declared ?? []).map((d) => [d.name, d]))
  for (const row of rows) {
    if (!isRecord(row)) continue
    for (const name of Object.keys(row)) {
      if (!columns.has(name)) columns.set(name, { name, type: { kind: 'any' }, optional: true, untrusted: false, span: undefined })
    }
  }
  return [...columns.values()]
}

/** A Markdown table without padding: `|` escaped, line ends as a space. */
export function writeTable(rows: readonly unknown[], declared: readonly Declared[] | undefined, names?: readonly string[]): string {
  const columns = names
    ? names.map((name) => columnsOf(rows, declared).find((c) => c.name === name) ?? anyColumn(name))
    : columnsOf(rows, declared)
  if (columns.length === 0) return ''
  const line = (cells: readonly string[]) => `| ${cells.map(tableCell).join(' | ')} |`
  const body = rows.map((row) => line(columns.map((c) => writeInner(settle(own(row, c.name)), c.type))))
  return [line(columns.map((c) => c.name)), `|${'---|'.repeat(columns.length)}`, ...body].join('\n')
}

export function anyColumn(name: string): Declared {
  return { name, type: { kind: 'any' }, optional: true, untrusted: false, span: undefined }
}

function tableCell(text: string): string {
  return text.replace(/\r\n?|\n/g, ' ').replace(/\|/g, '\\|')
}

/** A value as JSON data: missing fields left out, numbers beyond a double as their digits. */
export function toJson(value: unknown): unknown {
  if (typeof value === 'bigint') return Number.isSafeInteger(Number(value)) ? Number(value) : value.toString()
  if (typeof value === 'string') return lineEnds(value)
  if (value instanceof Date) return settle(value)
  if (Array.isArray(value)) return value.map((item: unknown) => (isMissing(item) ? null : toJson(item)))
  if (isRecord(value)) {
    const entries = Object.keys(value).map((key): [string, unknown] => [key, own(value, key)])
    return Object.fromEntries(
      entries.filter(([, v]) => v !== undefined && typeof v !== 'function').map(([k, v]) => [k, v === null ? null : toJson(v)]),
    )
  }
  return value ?? null
}
