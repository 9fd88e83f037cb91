import { CsvRows, JsonLines, Misread, RecordRows, type Row } from '@dunelight/tables'
import { byteText } from './byte-text.js'
import type { Cut } from './cutter.js'

/** The table that rows were cut from. */
export interface CutTable {
  /** What it is called in problems. */
  readonly name: string
  /** What separates cells; undefined for lines of JSON. */
  readonly delimiter: string | undefined
  readonly headings: readonly string[]
}

/** Whole rows of a file, without the places of each. */
export type CutRows = Omit<Cut, 'end' | 'places'>

/** Rows as they are in their table. */
export interface RowsOfCut {
  /** The heading is among them, if it was cut. */
  readonly rows: readonly (Row | Misread)[]
  /** Those of the table, with further keys of these records. */
  readonly headings: readonly string[]
}

interface RowOfCut extends Pick<RowsOfCut, 'headings'> {
  readonly row: Row | Misread
}

/** Reads rows that were cut. */
export function rowsOfCut(cut: CutRows, table: CutTable): RowsOfCut {
  const { delimiter, headings } = table
  const items = itemsOf(cut, table)
  if (delimiter !== undefined) return { rows: items as Row[], headings }
  const records = new RecordRows({ known: headings, rows: cut.rows })
  return { rows: records.add(items), headings: records.headings }
}

function itemsOf({ bytes, rows, lines, encoding }: CutRows, { name, delimiter }: CutTable): readonly unknown[] {
  const utf8 = encoding === 'utf-8'
  const piece = {
    text: utf8 ? byteText.text(bytes) : new TextDecoder(encoding).decode(new Uint8Array(bytes)),
    plain: utf8 && byteText.isAscii(bytes),
    decodePiece: utf8 ? byteText.decodePiece : undefined,
  }
  const reader = delimiter === undefined ? new JsonLines({ name, rows, lines }) : new CsvRows(delimiter, { name, rows, lines })
  return [...reader.add(piece), ...reader.end()]
}

const FEED = 10

/** Reads one of the rows of a cut, by its place among them. */
export function rowOfCut(cut: Omit<Cut, 'end'>, index: number, table: CutTable): RowOfCut {
  const { bytes, places, encoding } = cut
  const start = places[3 * index] ?? 0
  const own = { bytes: bytes.subarray(start, places[3 * index + 1]), rows: cut.rows + index, encoding }
  const read = (lines: number): RowOfCut => {
    const { rows, headings } = rowsOfCut({ ...own, lines }, table)
    return { row: rows[0] ?? [], headings }
  }
  const first = read(cut.lines)
  // Its message names the line, which is counted only then.
  return first.row instanceof Misread ? read(cut.lines + linesBefore(bytes, start)) : first
}

function linesBefore(bytes: Uint8Array, end: number): number {
  let count = 0
  for (let at = bytes.indexOf(FEED); at >= 0 && at < end; at = bytes.indexOf(FEED, at + 1)) count++
  return count
}
