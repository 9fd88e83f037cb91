import type { Format } from './format.js'
import { own } from '../data.js'
import { ANY, listOf } from '../types.js'
import { settle } from '../write.js'

export const column: Format = {
  name: 'column',
  about: 'one column of a table, as a list',
  takes: 'a declared column of a table',
  parameters: [{ name: 'column', kind: 'text' }],
  gives: (type, [name]) => {
    const rows = type.kind === 'list' ? type.item : type
    if (type.kind !== 'table' && !(type.kind === 'list' && rows.kind === 'record')) return undefined
    const fields = rows.kind === 'record' || rows.kind === 'table' ? rows.fields : undefined
    if (!fields) return listOf(ANY)
    const field = fields.find((f) => f.name === name)
    return field && listOf(field.type)
  },
  write: (rows, [name = '']) => (rows as unknown[]).map((row) => settle(own(row, String(name))) ?? null),
}
