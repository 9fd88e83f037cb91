import Table from 'cli-table3'
import { COLOUR, shown } from './streams.js'

/** Nothing is drawn between the cells. */
const NO_LINES = Object.fromEntries(
  [
    'top',
    'top-mid',
    'top-left',
    'top-right',
    'bottom',
    'bottom-mid',
    'bottom-left',
    'bottom-right',
    'left',
    'left-mid',
    'mid',
    'mid-mid',
    'right',
    'right-mid',
    'middle',
  ].map((name) => [name, '']),
)

/**
 * Rows as aligned columns, two spaces between them. Wide letters and emoji take the room that a terminal gives them.
 *
 * @param indent Spaces before each row.
 * @param right The columns whose cells are aligned right.
 */
export function columns(rows: readonly (readonly string[])[], { indent = 0, right = [] }: ColumnOptions = {}): string {
  const count = Math.max(0, ...rows.map((row) => row.length))
  const table = new Table({
    chars: NO_LINES,
    style: { 'padding-left': 0, 'padding-right': 2, head: [], border: [] },
    colAligns: Array.from({ length: count }, (_, i) => (right.includes(i) ? 'right' : 'left')),
  })
  // The package measures colours as a terminal shows them; control characters of a value have been made visible.
  for (const row of rows)
    table.push(Array.from({ length: count }, (_, i) => shown((row[i] ?? '').replaceAll('\n', ' ')).replaceAll(COLOUR, '\u001b[')))
  if (rows.length === 0) return ''
  return table
    .toString()
    .split('\n')
    .map((line) => `${' '.repeat(indent)}${line.trimEnd().replaceAll('\u001b[', COLOUR)}\n`)
    .join('')
}

export interface ColumnOptions {
  readonly indent?: number
  readonly right?: readonly number[]
}
