import { open } from 'node:fs/promises'

/** Whole rows of a file. */
export interface Cut {
  readonly bytes: Uint8Array<ArrayBuffer>
  /** How many rows stand before them. */
  readonly row: number
  /** How far the file has been read. */
  readonly end: number
}

/** The delimiter of comma separated text; undefined for lines. */
export type Delimiter = string | undefined

/** How much is read at a time, and about how long a block is. */
const SIZE = 128 * 1024
/** A row longer than this is a quote that was never closed, or no row at all. */
const LONGEST_ROW = 16 * 1024 * 1024

/**
 * Cuts a file into blocks of whole rows without reading them: only quotes, delimiters and line ends are looked at. `start` is where the rows
 * begin.
 */
export async function* cuts(path: string, delimiter: Delimiter, start: number): AsyncGenerator<Cut> {
  const file = await open(path, 'r')
  try {
    const { size } = await file.stat()
    let rest: Uint8Array = new Uint8Array(0)
    let row = 0
    for (let at = start; at < size;) {
      const room = new Uint8Array(rest.length + Math.min(SIZE, size - at))
      room.set(rest)
      const { bytesRead } = await file.read(room, rest.length, room.length - rest.length, at)
      at += bytesRead
      const bytes = room.subarray(0, rest.length + bytesRead)
      const last = at >= size || bytesRead === 0
      const { end, count } = wholeRows(bytes, delimiter, last)
      // A row without end is handed on as it is: whoever reads it says what is wrong with it.
      const cut = last || bytes.length - end > LONGEST_ROW ? bytes.length : end
      if (cut > 0) yield { bytes: bytes.slice(0, cut), row, end: at }
      row += count
      rest = bytes.subarray(cut)
      if (last) return
    }
  } finally {
    await file.close()
  }
}

const [TAB, LF, CR, SPACE, QUOTE] = [9, 10, 13, 32, 34]

/**
 * The end of the last whole row, and how many rows that are not blank end there. Comma separated text is looked at as it is read: a quote opens
 * a cell only at its beginning, and closes it only before a delimiter or a line end.
 */
export function wholeRows(bytes: Uint8Array, delimiter: Delimiter, last: boolean): { end: number; count: number } {
  const sign = delimiter?.charCodeAt(0)
  let end = 0
  let count = 0
  let quoted = false
  let atStart = true
  let filled = false
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i]!
    if (quoted) {
      if (byte !== QUOTE) filled ||= byte > SPACE || !isBlank(byte)
      else if (bytes[i + 1] === QUOTE) {
        filled = true
        i++
      } else {
        let next = i + 1
        while (bytes[next] === SPACE) next++
        const after = bytes[next]
        if (after === undefined ? last : after === sign || after === LF || after === CR) quoted = false
      }
    } else if (byte === sign) {
      atStart = true
      filled = true
    } else if (byte === LF || byte === CR) {
      // What comes behind a carriage return at the end is not known yet.
      if (byte === CR && i + 1 === bytes.length && !last) break
      if (byte === CR && bytes[i + 1] === LF) i++
      if (filled) count++
      filled = false
      atStart = true
      end = i + 1
    } else if (byte === QUOTE && atStart && sign !== undefined) {
      quoted = true
      atStart = false
    } else {
      atStart = false
      filled ||= byte > SPACE || !isBlank(byte)
    }
  }
  return last ? { end: bytes.length, count: count + (filled ? 1 : 0) } : { end, count }
}

function isBlank(byte: number): boolean {
  return byte === SPACE || byte === TAB || byte === LF || byte === CR
}
