import { open, stat } from 'node:fs/promises'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { beginningOf, delimiterOf, Encoding, RowScanner, wholeCharacters, type DecodeOptions } from '@dunelight/tables'
import { byteText } from './byte-text.js'
import { otherEncoding } from './encoding.js'
import { formatOf, type TableFile } from './open-table.js'

/** Whole rows of a file. */
export interface Cut {
  /** Read before the next ones are requested: their buffer is used again. */
  readonly bytes: Uint8Array
  /** Rows and lines before them, the heading among them. */
  readonly rows: number
  readonly lines: number
  /** Where each row begins and ends, and 1 if one of its cells is in quotes: three numbers for each. */
  readonly places: Int32Array
  /** How far the file has been read. */
  readonly end: number
  readonly encoding: 'utf-8' | 'windows-1252'
}

/** How a file is cut: where its text begins, and what separates its cells; undefined for lines. */
export interface Cutting {
  readonly from: number
  readonly delimiter: string | undefined
}

/** How much is read at a time, and about how long a block is. */
const SIZE = 128 * 1024
/** A heading longer than this is not looked for. */
const LONGEST_HEADING = 4 * 1024 * 1024

/**
 * How a table's file can be cut into blocks of whole rows; undefined if it cannot: of another format, in an encoding of two bytes a character, or
 * a pipe, which can be read once only.
 *
 * @throws ProblemError if it is no text.
 */
export async function cuttingOf(table: TableFile): Promise<Cutting | undefined> {
  const format = formatOf(table) ?? 'csv'
  if (format !== 'csv' && format !== 'tsv' && format !== 'jsonl') return undefined
  if (!(await stat(table.from).catch(() => undefined))?.isFile()) return undefined
  if ((await otherEncoding(table)) !== undefined) return undefined
  const file = await open(table.from, 'r')
  try {
    for (let size = 1 << 16; size <= LONGEST_HEADING; size *= 8) {
      const { buffer, bytesRead } = await file.read(new Uint8Array(size), 0, size, 0)
      const bytes = buffer.subarray(0, bytesRead)
      const { mark, encoding } = beginningOf(bytes, table.from)
      if (encoding) return undefined
      if (format === 'jsonl') return { from: mark, delimiter: undefined }
      const delimiter = delimiterOf(byteText.text(bytes.subarray(mark)), bytesRead < size)
      if (delimiter !== undefined) return { from: mark, delimiter }
    }
    return undefined
  } finally {
    await file.close()
  }
}

/**
 * Cuts a file into blocks of whole rows, by the scanner that reads tables too.
 *
 * @throws ProblemError if a quote is never closed, a row too long, or the text in two encodings.
 */
export async function* cuts(path: string, { from, delimiter }: Cutting, options: Omit<DecodeOptions, 'byteText'>): AsyncGenerator<Cut> {
  const scanner = new RowScanner(delimiter, options)
  const encodings = new Encoding({ ...options, byteText })
  const file = await open(path, 'r')
  try {
    const { size } = await file.stat()
    let room = new Uint8Array(2 * SIZE)
    let rest: Uint8Array = new Uint8Array(0)
    for (let position = from, last = position >= size; !last;) {
      const needed = rest.length + Math.min(SIZE, size - position)
      const next = needed <= room.length ? room : new Uint8Array(2 * needed)
      next.set(rest)
      room = next
      const { bytesRead } = await file.read(room, rest.length, needed - rest.length, position)
      position += bytesRead
      last = position >= size || bytesRead === 0
      const bytes = room.subarray(0, rest.length + bytesRead)
      const { rows, lines } = scanner
      const whole = bytes.subarray(0, last ? bytes.length : wholeCharacters(bytes))
      const encoding = encodings.of(whole)
      const valid = encoding === 'utf-8' ? encodings.validLength(whole) : whole.length
      const broken = valid < whole.length
      const found: number[] = []
      const end = scanner.scan(byteText.text(whole.subarray(0, valid)), last && !broken, (start, end, quoted) =>
        found.push(start, end, quoted ? 1 : 0),
      )
      const { problem: fault = broken ? problem('not-text', { file: options.name }) : undefined } = scanner
      if (end > 0) {
        const places = Int32Array.from(found)
        yield { bytes: bytes.subarray(0, end), rows, lines, places, end: position, encoding: encoding === 'ascii' ? 'utf-8' : encoding }
      }
      if (fault) throw new ProblemError([fault])
      rest = bytes.subarray(end)
    }
  } finally {
    await file.close()
  }
}
