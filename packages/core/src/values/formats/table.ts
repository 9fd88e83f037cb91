import { anyToText } from './kinds.js'
import { fieldsAndRows } from './rows.js'
import { writeTable } from '../write.js'
export const table = anyToText(
  {
    name: 'table',
    about: 'a Markdown table, all columns or those named',
    parameters: [{ name: 'column', kind: 'text', optional: true, many: true }],
    write: (value, names, _, type) => {
      const { rows, fields } = fieldsAndRows(value, type)
      return writeTable(rows, fields, names.length > 0 ? names.map(String) : undefined)
    },
  },
  'records and tables',
  (type) =>
    type.kind === 'table' || type.kind === 'record' || (type.kind === 'list' && (type.item.kind === 'record' || type.item.kind === 'any')),
)
