import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'

/** A spreadsheet is built in memory, and readers limit its rows. */
const LONGEST_SHEET = 100_000
/** The limit of characters in one cell of a spreadsheet. */
const LONGEST_CELL = 32_767

/**
 * Rows of cells as an .xlsx file, the headings first. The same rows give the same bytes.
 *
 * @throws ProblemError where there are more rows than a spreadsheet may have.
 */
export async function spreadsheet(rows: AsyncIterable<readonly unknown[]>): Promise<Uint8Array> {
  const [{ default: writeSheet }, { unzipSync, zipSync }] = await Promise.all([import('write-excel-file/node'), import('fflate')])
  const sheet: (string | number | boolean | null)[][] = []
  for await (const cells of rows) {
    if (sheet.length > LONGEST_SHEET) throw new ProblemError([problem('sheet-too-long', { limit: LONGEST_SHEET })])
    sheet.push(cells.map(sheetCell))
  }
  const bytes = await writeSheet(sheet).toBuffer()
  // Packed once more without the time of day.
  return zipSync(unzipSync(bytes), { mtime: new Date(1980, 0, 1) })
}

function sheetCell(value: unknown): string | number | boolean | null {
  if (value === null || value === undefined || typeof value === 'number' || typeof value === 'boolean') return value ?? null
  const text = typeof value === 'string' ? value : JSON.stringify(value)
  return text.length > LONGEST_CELL ? `${text.slice(0, LONGEST_CELL - 1)}…` : text
}
