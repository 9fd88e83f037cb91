import Papa from 'papaparse'
import { problem, ProblemError } from 'dunelight'
import { decoded, type Bytes, type DecodeOptions, type Stretch } from './decode.js'
import { LineEnds } from './line-ends.js'
import type { Row, TableRows } from './table.js'

/** papaparse's row parser, which its types leave out: `ignoreLastRow` keeps back a row that may go on in the next chunk. */
interface RowParser {
  parse(text: string, base: number, ignoreLastRow: boolean): { data: string[][]; errors: { code: string }[]; meta: { cursor: number } }
}
const { Parser } = Papa as unknown as { Parser: new (config: { delimiter: string; newline: string; preview?: number }) => RowParser }

/** A row longer than this is a quote that was never closed, or no row at all. */
const LONGEST_ROW = 16 * 1024 * 1024

/**
 * A table of text, its first row the headings. The delimiter (comma, semicolon, tab, bar) is found in the heading; line ends may be of any
 * kind; blank lines are passed over.
 *
 * @throws ProblemError where the bytes are no text, hold no heading, or a quote that is never closed.
 */
export async function* csvTable(source: Bytes, options: DecodeOptions): AsyncGenerator<TableRows> {
  const rows = new CsvRows()
  let headings: readonly string[] | undefined
  let bytesRead = 0
  const table = (found: readonly Row[]): TableRows | undefined => {
    const [first] = found
    if (!first) return undefined
    if (headings) return { headings, rows: found, bytesRead }
    headings = headingsOf(first)
    return { headings, rows: found.slice(1), bytesRead }
  }
  for await (const stretch of decoded(source, options)) {
    bytesRead = stretch.bytesRead
    const some = table(rows.add(stretch))
    if (some) yield some
  }
  const last = table(rows.end())
  if (last) yield last
  if (!headings) throw new ProblemError([problem('table-empty', { file: options.name })])
}

export function headingsOf(row: Row): string[] {
  return row.map((cell) => String(cell).trim())
}

/** Rows of a text that comes a stretch at a time. */
export class CsvRows {
  private parser: RowParser | undefined
  private rest = ''
  /** Mends the cells of what is read; undefined where they are what they are to be. */
  private mend: Stretch['mend']
  /** Whether the row that has begun is all ASCII. */
  private plain = true
  private count = 0
  private lineEnds: LineEnds | undefined

  constructor(private readonly delimiter?: string) {}

  /** The rows that end in this stretch. */
  add({ text, plain, mend }: Pick<Stretch, 'text' | 'plain' | 'mend'>): readonly Row[] {
    this.join(text)
    this.mend = mend
    this.plain &&= plain
    this.parser ??= this.newParser()
    const { data, meta } = this.parser.parse(this.rest, 0, true)
    this.rest = this.rest.slice(meta.cursor)
    if (this.rest.length > LONGEST_ROW)
      throw new ProblemError([problem('row-endless', { row: Math.max(this.count, 1), limit: LONGEST_ROW })])
    const rows = this.filled(data)
    this.plain ||= !BEYOND_ASCII.test(this.rest)
    return rows
  }

  /** The row that nothing has ended. */
  end(): readonly Row[] {
    this.rest += this.lineEnds?.end() ?? ''
    if (this.rest === '') return []
    this.parser ??= this.newParser()
    const { data, errors } = this.parser.parse(this.rest, 0, false)
    if (errors.some((one) => one.code === 'MissingQuotes')) {
      this.count += data.filter(isFilled).length - 1
      this.neverEnds()
    }
    return this.filled(data)
  }

  private join(text: string): void {
    // The heading tells what cuts rows into cells, and with that which quotes open one.
    this.lineEnds ??= new LineEnds(this.delimiter ?? delimiterOf(text.replace(/\r\n?/g, '\n')))
    this.rest += this.lineEnds.unify(text)
  }

  private newParser(): RowParser {
    return new Parser({ delimiter: this.delimiter ?? delimiterOf(this.rest), newline: '\n' })
  }

  private filled(data: string[][]): readonly Row[] {
    const rows = data.every(isFilled) ? data : data.filter(isFilled)
    if (this.mend && !this.plain) mendAll(rows, this.mend)
    this.count += rows.length
    return rows
  }

  /** Rows count from 1 below the heading. */
  private neverEnds(): never {
    throw new ProblemError([problem('quote-open', { row: Math.max(this.count, 1) })])
  }
}

const BEYOND_ASCII = /[\u0080-\u00ff]/

function mendAll(rows: string[][], mend: (piece: string) => string): void {
  for (const cells of rows) {
    for (let i = 0; i < cells.length; i++) if (BEYOND_ASCII.test(cells[i]!)) cells[i] = mend(cells[i]!)
  }
}

/** Not a blank line. */
function isFilled(cells: readonly string[]): boolean {
  return cells.length > 1 || !/^[ \t\r\n]*$/.test(cells[0] ?? '')
}

const DELIMITERS = [',', ';', '\t', '|']

/** The sign that cuts the heading into most cells: of all rows it is the one without free text. */
export function delimiterOf(text: string): string {
  const cells = (delimiter: string) => new Parser({ delimiter, newline: '\n', preview: 1 }).parse(text, 0, false).data[0]?.length ?? 0
  return DELIMITERS.reduce((best, one) => (cells(one) > cells(best) ? one : best))
}
