import { open } from 'node:fs/promises'

/** Whole rows of a file. */
export interface Cut {
  /** Looked at before the next ones are asked for: their room is taken again. */
  readonly bytes: Uint8Array
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
    let room = new Uint8Array(2 * SIZE)
    let rest: Uint8Array = new Uint8Array(0)
    let row = 0
    for (let at = start; at < size;) {
      const needed = rest.length + Math.min(SIZE, size - at)
      const next = needed <= room.length ? room : new Uint8Array(2 * needed)
      next.set(rest)
      room = next
      const { bytesRead } = await file.read(room, rest.length, needed - rest.length, at)
      at += bytesRead
      const bytes = room.subarray(0, rest.length + bytesRead)
      const last = at >= size || bytesRead === 0
      const { end, count } = wholeRows(bytes, delimiter, last)
      // A row without end is handed on as it is: whoever reads it says what is wrong with it.
      const cut = last || bytes.length - end > LONGEST_ROW ? bytes.length : end
      if (cut > 0) yield { bytes: bytes.subarray(0, cut), row, end: at }
      row += count
      rest = bytes.subarray(cut)
      if (last) return
    }
  } finally {
    await file.close()
  }
}

const [TAB, LF, CR, SPACE, QUOTE] = [9, 10, 13, 32, 34]

/** Where a byte stands next: looked for by the platform, which goes through a block many times quicker than a loop does. */
class Finder {
  private at: number

  constructor(
    private readonly bytes: Uint8Array,
    private readonly byte: number,
  ) {
    this.at = bytes.indexOf(byte)
  }

  /** The first at or behind `from`, which never goes back; the length where there is none. */
  next(from: number): number {
    if (this.at >= 0 && this.at < from) this.at = this.bytes.indexOf(this.byte, from)
    return this.at < 0 ? this.bytes.length : this.at
  }
}

/**
 * The end of the last whole row, and how many rows that are not blank end there. Comma separated text is looked at as it is read: a quote opens
 * a cell only at its beginning, and closes it only before a delimiter or a line end.
 */
export function wholeRows(bytes: Uint8Array, delimiter: Delimiter, last: boolean): { end: number; count: number } {
  const sign = delimiter?.charCodeAt(0)
  const { length } = bytes
  const [feeds, returns, quotes] = [new Finder(bytes, LF), new Finder(bytes, CR), new Finder(bytes, QUOTE)]
  let count = 0
  let start = 0
  /** What has been looked at, and whether the row holds a quote that is no cell's own. */
  let at = 0
  let spoken = false
  for (;;) {
    const lineEnd = Math.min(feeds.next(at), returns.next(at))
    const quote = sign === undefined ? length : quotes.next(at)
    if (quote < lineEnd) {
      const opens = quote === start || bytes[quote - 1] === sign
      const close = opens ? closing(bytes, quote + 1, quotes, sign, last) : undefined
      // Not closed here: the row goes on in the next block.
      if (opens && !close) return last ? { end: length, count: count + 1 } : { end: start, count }
      spoken ||= close?.spoken ?? true
      at = close ? close.at + 1 : quote + 1
      continue
    }
    if (lineEnd === length || (bytes[lineEnd] === CR && lineEnd + 1 === length && !last)) {
      // What comes behind a carriage return at the end is not known yet.
      if (!last) return { end: start, count }
      return { end: length, count: count + (spoken || isFilled(bytes, start, length, sign) ? 1 : 0) }
    }
    if (spoken || isFilled(bytes, start, lineEnd, sign)) count++
    start = at = bytes[lineEnd] === CR && bytes[lineEnd + 1] === LF ? lineEnd + 2 : lineEnd + 1
    spoken = false
  }
}

/** Where a quoted cell is closed, and whether a quote is spoken of in it; undefined where it goes on. */
function closing(bytes: Uint8Array, from: number, quotes: Finder, sign: number | undefined, last: boolean) {
  let spoken = false
  for (let at = quotes.next(from); at < bytes.length; at = quotes.next(at + 1)) {
    let next = at + 1
    if (bytes[next] === QUOTE) {
      spoken = true
      at++
      continue
    }
    while (bytes[next] === SPACE) next++
    const after = bytes[next]
    if (after === undefined ? last : after === sign || after === LF || after === CR) return { at, spoken }
    spoken = true
  }
  return undefined
}

/** Whether a row holds anything beside blanks and the quotes of its cells. */
function isFilled(bytes: Uint8Array, start: number, end: number, sign: number | undefined): boolean {
  let quoted = false
  for (let i = start; i < end; i++) {
    const byte = bytes[i]!
    if (byte === QUOTE && sign !== undefined) quoted = !quoted
    else if ((byte === sign && !quoted) || (byte !== SPACE && byte !== TAB && byte !== LF && byte !== CR)) return true
  }
  return false
}
