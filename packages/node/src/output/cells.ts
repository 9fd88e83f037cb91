import { cellText } from 'dunelight/parts'
import Papa from 'papaparse'

/** The beginning of what a spreadsheet would run as a formula, unless the whole text is a number. */
const FORMULA = /^[=+\-@\t\r]\s*\S/
const NUMBER = /^[+-]?[\d.,\s]+(?:e[+-]?\d+)?%?$/i

function isFormula(text: string): boolean {
  return FORMULA.test(text) && !(NUMBER.test(text) && /^[^e]*\d/i.test(text))
}

/** How cells are written for people. `raw`: without the apostrophe that keeps a formula from being run. */
export interface CellOptions {
  readonly raw: boolean
}

/** A text as a cell of a table that people open. */
export function safeCell(text: string, { raw }: CellOptions): string {
  return !raw && isFormula(text) ? `'${text}` : text
}

/** A line of a CSV or TSV file, without its line end. */
export function csvLine(cells: readonly unknown[], ending: string, options: CellOptions): string {
  const delimiter = ending === '.csv' ? ',' : '\t'
  return Papa.unparse([cells.map((cell) => safeCell(cellText(cell), options))], { delimiter, newline: '\n' })
}

/** A table of values as text: its first row has the headings. */
export function csvCells(
  ending: '.csv' | '.tsv' | '.jsonl',
  [head = [], ...rows]: readonly (readonly unknown[])[],
  options: CellOptions,
): string {
  if (ending !== '.jsonl') return [head, ...rows].map((cells) => `${csvLine(cells, ending, options)}\n`).join('')
  return rows.map((cells) => `${JSON.stringify(Object.fromEntries(head.map((name, i) => [name, cells[i] ?? null])))}\n`).join('')
}
