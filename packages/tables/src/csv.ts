import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { decoded, type Bytes, type DecodeOptions, type TextChunk } from './decode.js'
import { delimiterOf, RowScanner, type ScanOptions } from './scan.js'
import type { Row, TableRows } from './table.js'

/**
 * A table of text, its first row the headings. The delimiter (comma, semicolon, tab, bar) is found in the heading; line ends may be of any
 * kind; empty lines are skipped.
 *
 * @throws ProblemError if the bytes are no text, hold no heading, or a quote that is never closed.
 */
export async function* csvTable(source: Bytes, options: DecodeOptions): AsyncGenerator<TableRows> {
  const rows = new CsvRows(undefined, options)
  let headings: readonly string[] | undefined
  let bytesRead = 0
  const table = (item: readonly Row[]): TableRows | undefined => {
    const [first] = item
    if (!first) return undefined
    if (headings) return { headings, rows: item, bytesRead }
    headings = headingsOf(first)
    return { headings, rows: item.slice(1), bytesRead }
  }
  for await (const chunk of decoded(source, options)) {
    bytesRead = chunk.bytesRead
    const some = table(rows.add(chunk))
    if (some) yield some
    if (rows.problem) throw new ProblemError([rows.problem])
  }
  const last = table(rows.end())
  if (last) yield last
  if (rows.problem) throw new ProblemError([rows.problem])
  if (!headings) throw new ProblemError([problem('table-empty', { file: options.name })])
}

export function headingsOf(row: Row): string[] {
  return row.map((cell) => String(cell).trim())
}

/** Rows of a text that comes in pieces. */
export class CsvRows {
  private scanner: RowScanner | undefined
  private rest = ''
  /** Turns the cells of what is read into text; undefined if they are text already. */
  private decodePiece: TextChunk['decodePiece']
  /** Whether the row under way is all ASCII. */
  private plain = true

  /** @param delimiter What separates cells; found in the heading if undefined. */
  constructor(
    private readonly delimiter: string | undefined,
    private readonly options: ScanOptions,
  ) {}

  /** Why the text cannot be read any further. */
  get problem(): Problem | undefined {
    return this.scanner?.problem
  }

  /** The rows that end in this piece. */
  add({ text, plain, decodePiece }: Pick<TextChunk, 'text' | 'plain' | 'decodePiece'>): readonly Row[] {
    this.rest += text
    this.decodePiece = decodePiece
    this.plain &&= plain
    return this.scan(false)
  }

  /** The row that no line end has ended. */
  end(): readonly Row[] {
    return this.scan(true)
  }

  private scan(last: boolean): readonly Row[] {
    const text = this.rest
    const scanner = (this.scanner ??= this.newScanner(text, last))
    if (!scanner) return []
    const rows: string[][] = []
    this.rest = text.slice(scanner.scan(text, last, (start, end, quoted) => rows.push(scanner.cells(start, end, quoted))))
    if (this.decodePiece && !this.plain) {
      decodeAll(rows, this.decodePiece)
      this.plain = !BEYOND_ASCII.test(this.rest)
    }
    return rows
  }

  private newScanner(text: string, last: boolean): RowScanner | undefined {
    const delimiter = this.delimiter ?? delimiterOf(text, last)
    return delimiter === undefined ? undefined : new RowScanner(delimiter, this.options)
  }
}

const BEYOND_ASCII = /[\u0080-\u00ff]/

function decodeAll(rows: string[][], decodePiece: (piece: string) => string): void {
  for (const cells of rows) cells.forEach((cell, i) => BEYOND_ASCII.test(cell) && (cells[i] = decodePiece(cell)))
}
