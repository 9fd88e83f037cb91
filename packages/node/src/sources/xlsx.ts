import { readFile } from 'node:fs/promises'
import { ProblemError } from 'dunelight'
import { problem, defined } from 'dunelight/host'
import { headingsOf, unreadable, type Row, type TableRows } from '@dunelight/tables'

/**
 * One sheet of a spreadsheet, its first filled row the headings. A spreadsheet is compressed as a whole, and read whole. Cells keep their types;
 * of merged cells the first holds the value.
 */
export async function* xlsxTable(path: string, sheet: string | undefined): AsyncGenerator<TableRows> {
  const { default: readSheets } = await import('read-excel-file/node')
  const bytes = await readFile(path)
  const sheets = await readSheets(bytes).catch(() => unreadable(path, 'it is no .xlsx spreadsheet, or it is damaged'))
  const chosen = sheet === undefined ? sheets[0] : sheets.find((item) => item.sheet === sheet)
  if (!chosen) {
    const known = sheets.map((sheet) => sheet.sheet)
    throw new ProblemError([problem('sheet-unknown', { file: path, sheet: sheet ?? '', known })])
  }
  const filled = (chosen.data as Row[]).filter((row) => row.some((cell) => cell !== null && cell !== ''))
  const [first, ...rows] = filled
  if (!first) throw new ProblemError([problem('table-empty', { file: path })])
  const headings = headingsOf(first.map((cell) => cell ?? ''))
  const named = headings.filter((heading) => heading !== '').length
  // A title above the table, most often in merged cells, leaves a first row with one cell.
  if (named === 1 && rows.some((row) => row.filter((cell) => cell !== null).length > 2))
    throw new ProblemError([problem('heading-merged', { file: path, found: defined(headings.find((heading) => heading !== '')) })])
  yield { headings, rows: rows.map((row) => headings.map((_, i) => row[i] ?? null)), bytesRead: bytes.length }
}
