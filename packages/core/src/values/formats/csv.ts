import { anyToText } from './kinds.js'
import { fieldsAndRows } from './rows.js'
import { own } from '../data.js'
import { columnsOf, settle, writeInner } from '../write.js'
/** Quoted only where it must be. */
function cell(text: string): string {
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
}

export const csv = anyToText(
  {
    name: 'csv',
    about: 'comma-separated values with a heading (RFC 4180)',
    parameters: [],
    write: (value, _, __, type) => {
      const { rows, fields } = fieldsAndRows(value, type)
      const columns = columnsOf(rows, fields)
      const lines = rows.map((row) => columns.map((c) => cell(writeInner(settle(own(row, c.name)), c.type))).join(','))
      return [columns.map((c) => cell(c.name)).join(','), ...lines].join('\n')
    },
  },
  'records and tables',
  (type) =>
    type.kind === 'table' || type.kind === 'record' || (type.kind === 'list' && (type.item.kind === 'record' || type.item.kind === 'any')),
)
