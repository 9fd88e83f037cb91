import { createReadStream } from 'node:fs'
import Papa from 'papaparse'
import { problem, ProblemError } from 'dunelight'
import { reason } from './reason.js'
import { Utf8Chunks } from './utf8.js'

/** Rows of one chunk of the file, and how many of its bytes have been read. */
export interface CsvRows {
  readonly rows: readonly (readonly string[])[]
  readonly bytesRead: number
}

/** papaparse's row parser, which its types leave out: `ignoreLastRow` keeps back a row that may go on in the next chunk. */
interface RowParser {
  parse(text: string, base: number, ignoreLastRow: boolean): { data: string[][]; errors: { code: string }[]; meta: { cursor: number } }
}
const { Parser } = Papa as unknown as { Parser: new (config: { delimiter: string; newline: string; preview?: number }) => RowParser }

const CHUNK = 64 * 1024
/** Files that are tables, but not this kind of table. */
const OTHER_TABLES = [
  ['.xlsx', 'it is a spreadsheet'],
  ['.xls', 'it is a spreadsheet'],
  ['.ods', 'it is a spreadsheet'],
  ['.parquet', 'it is Parquet'],
] as const
/** A row longer than this is a quote that was never closed. */
const LONGEST_ROW = 16 * 1024 * 1024

/**
 * Reads a CSV file chunk by chunk: the whole file is never held. The delimiter (comma, semicolon, tab, bar) is found in the heading;
 * line ends may be of any kind; blank lines are passed over.
 *
 * @throws ProblemError where the file cannot be read or is no UTF-8 text.
 */
export async function* readCsv(path: string): AsyncGenerator<CsvRows> {
  const other = OTHER_TABLES.find(([ending]) => path.toLowerCase().endsWith(ending))
  if (other) throw new ProblemError([problem('file-unreadable', { file: path, why: `${other[1]}; save it as CSV` })])
  const decoder = new Utf8Chunks(path)
  let parser: RowParser | undefined
  let rest = ''
  let bytesRead = 0
  let row = 0
  let carried = false
  try {
    for await (const chunk of createReadStream(path, { highWaterMark: CHUNK }) as AsyncIterable<Buffer>) {
      bytesRead += chunk.length
      let text = decoder.decode(chunk)
      if (carried) text = `\r${text}`
      carried = text.endsWith('\r')
      if (carried) text = text.slice(0, -1)
      rest += lineEnds(text)
      parser ??= new Parser({ delimiter: delimiterOf(rest), newline: '\n' })
      if (rest.length > LONGEST_ROW) throw new ProblemError([problem('quote-open', { row: row + 1 })])
      const { data, meta } = parser.parse(rest, 0, true)
      rest = rest.slice(meta.cursor)
      const rows = data.filter(isFilled)
      row += rows.length
      if (rows.length > 0) yield { rows, bytesRead }
    }
  } catch (fault) {
    throw fault instanceof ProblemError ? fault : new ProblemError([problem('file-unreadable', { file: path, why: reason(fault) })])
  }
  rest += lineEnds(decoder.end() + (carried ? '\r' : ''))
  if (rest === '') return
  parser ??= new Parser({ delimiter: delimiterOf(rest), newline: '\n' })
  const { data, errors } = parser.parse(rest, 0, false)
  if (errors.some((e) => e.code === 'MissingQuotes'))
    throw new ProblemError([problem('quote-open', { row: Math.max(1, row + data.filter(isFilled).length - 1) })])
  const rows = data.filter(isFilled)
  if (rows.length > 0) yield { rows, bytesRead }
}

function lineEnds(text: string): string {
  return text.includes('\r') ? text.replace(/\r\n?/g, '\n') : text
}

function isFilled(cells: readonly string[]): boolean {
  return cells.length > 1 || (cells[0] ?? '').trim() !== ''
}

const DELIMITERS = [',', ';', '\t', '|']

/** The sign that cuts the heading into most cells: of all rows it is the one without free text. */
export function delimiterOf(text: string): string {
  const cells = (delimiter: string) => new Parser({ delimiter, newline: '\n', preview: 1 }).parse(text, 0, false).data[0]?.length ?? 0
  return DELIMITERS.reduce((best, one) => (cells(one) > cells(best) ? one : best))
}
