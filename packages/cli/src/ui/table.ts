import stringWidth from 'string-width'
import { COLOUR, shown } from './streams.js'

/** Spaces between two columns. */
const GAP = 2

/**
 * Rows as aligned columns. Wide letters and emoji take the room that a terminal gives them.
 *
 * @param indent Spaces before each row.
 * @param right The columns whose cells are aligned right.
 */
export function columns(rows: readonly (readonly string[])[], { indent = 0, right = [] }: ColumnOptions = {}): string {
  const cells = rows.map((row) => row.map((text) => shown(text.replaceAll('\n', ' '))))
  const widths: number[] = []
  for (const row of cells) for (const [i, text] of row.entries()) widths[i] = Math.max(widths[i] ?? 0, widthOf(text))
  const padded = (text: string, i: number): string => {
    const room = ' '.repeat((widths[i] ?? 0) - widthOf(text))
    return right.includes(i) ? room + text : text + room
  }
  return cells.map((row) => `${' '.repeat(indent)}${row.map(padded).join(' '.repeat(GAP)).trimEnd()}\n`).join('')
}

/** How many columns of a terminal a text takes: colours take none. Control characters have been made visible. */
function widthOf(text: string): number {
  return PRINTABLE.test(text) ? text.length : stringWidth(text.replaceAll(COLOUR, '\u001b['))
}

/** Texts whose characters take one column each. */
const PRINTABLE = /^[\x20-\x7e]*$/

export interface ColumnOptions {
  readonly indent?: number
  readonly right?: readonly number[]
}
