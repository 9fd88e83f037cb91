import { cellText } from 'dunelight/parts'
import Papa from 'papaparse'

/** What a spreadsheet would run as a formula: a text that begins so and is not a number. */
const FORMULA = /^(?![+-]?[\d.,\s]*\d[\d.,\s]*(?:e[+-]?\d+)?%?$)[=+\-@\t\r]\s*\S/i

/** How cells are written for people. `raw`: without the apostrophe that keeps a formula from being run. */
export interface CellOptions {
  readonly raw: boolean
}

/** A text as a cell of a table that people open. */
export function safeCell(text: string, { raw }: CellOptions): string {
  return !raw && FORMULA.test(text) ? `'${text}` : text
}

/** A line of a CSV or TSV file, without its line end. */
export function csvLine(cells: readonly unknown[], ending: string, options: CellOptions): string {
  const delimiter = ending === '.csv' ? ',' : '\t'
  return Papa.unparse([cells.map((cell) => safeCell(cellText(cell), options))], { delimiter, newline: '\n' })
}
