import type { Problem } from 'dunelight'
import { problem } from 'dunelight/host'

const [TAB, LF, CR, SPACE, QUOTE] = [9, 10, 13, 32, 34]

/** Characters in the longest row or line. A longer one is a quote that was never closed, or not a table at all. */
const LONGEST_ROW = 16 * 1024 * 1024

/** Finds the next place of a character. Each search starts where the last one ended, so that a text is searched once for each character. */
class Finder {
  private position: number

  constructor(
    private readonly text: string,
    private readonly character: string,
  ) {
    this.position = text.indexOf(character)
  }

  /** The first place at or after `from`, which never goes back; the text's length if there is none. */
  next(from: number): number {
    if (this.position >= 0 && this.position < from) this.position = this.text.indexOf(this.character, from)
    return this.position < 0 ? this.text.length : this.position
  }
}

export interface ScanOptions {
  /** What the source is called in problems. */
  readonly name: string
  /** Rows and lines before the first one that is scanned. */
  readonly rows?: number
  readonly lines?: number
}

/** Hears of a row: where it begins and ends, without its line end, and whether it has quoted cells. */
type OnRow = (start: number, end: number, quoted: boolean) => unknown

/**
 * Finds rows and cells in a text that comes in pieces: the only place that determines where a row ends. A text whose bytes are one character each
 * is scanned as it is, and the places found are those of its bytes.
 *
 * A quote opens a cell only at its beginning, and closes it only before a delimiter or a line end; spaces between are skipped. A row ends at
 * `\n`, `\r\n` or `\r`; a line of JSON Lines ends at `\n` alone, since JSON allows `\r` between values.
 */
export class RowScanner {
  /** Non-empty rows, and lines of any kind, that have ended so far. */
  rows: number
  lines: number
  /** Why the text cannot be read any further: a row is too long, or a quote never closed. */
  problem: Problem | undefined
  private text = ''
  private delimiters = new Finder('', ',')
  private quotes = this.delimiters
  private feeds = this.delimiters
  private returns = this.delimiters
  /** How far the row under way has been scanned, whether it has quoted cells, and whether one of them is open. */
  private scanned = 0
  private quoted = false
  private open = false
  private readonly code: number

  /** @param delimiter What separates cells; undefined for lines, which have no cells. */
  constructor(
    private readonly delimiter: string | undefined,
    private readonly options: ScanOptions,
  ) {
    this.rows = options.rows ?? 0
    this.lines = options.lines ?? 0
    this.code = delimiter?.charCodeAt(0) ?? -1
  }

  /**
   * Calls `onRow` for each non-empty row that ends in a text. The text begins with what the last call left over.
   *
   * @param last Whether the text ends the source.
   * @returns the start of a row that continues after the text, or that cannot be read: then `problem` has the reason
   */
  scan(text: string, last: boolean, onRow: OnRow): number {
    this.lookAt(text)
    const { length } = text
    let start = 0
    let position = this.scanned
    for (;;) {
      if (this.open) {
        position = this.closing(position, last)
        this.open = position < 0
        if (this.open) return this.unfinished(start, this.scanned, last)
      }
      const end = Math.min(this.feeds.next(position), this.returns.next(position))
      const quote = this.delimiter === undefined ? length : this.quotes.next(position)
      if (quote < end) {
        this.open = quote === start || text.charCodeAt(quote - 1) === this.code
        this.quoted ||= this.open
        position = quote + 1
        continue
      }
      // Only the next piece shows whether a line feed follows a carriage return.
      const cut = end === length || (end + 1 === length && text.charCodeAt(end) === CR)
      if (cut && !last) return this.unfinished(start, end, last)
      if (end - start > LONGEST_ROW) return this.tooLong(start)
      if (start < length) this.endRow(start, end, onRow)
      if (end === length) return length
      start = position = text.charCodeAt(end) === CR && text.charCodeAt(end + 1) === LF ? end + 2 : end + 1
    }
  }

  /** The cells of a row of the text that is being scanned. Rows are cut in their order. */
  cells(start: number, end: number, quoted: boolean): string[] {
    const { text } = this
    const cells: string[] = []
    let from = start
    for (;;) {
      if (quoted && text.charCodeAt(from) === QUOTE) {
        const close = this.closeOf(from + 1, end)
        cells.push(text.slice(from + 1, close).replaceAll('""', '"'))
        from = close + 1
        while (from < end && text.charCodeAt(from) !== this.code) from++
      } else {
        const next = Math.min(this.delimiters.next(from), end)
        cells.push(text.slice(from, next))
        from = next
      }
      if (from >= end) return cells
      from++
    }
  }

  private lookAt(text: string): void {
    this.text = text
    this.feeds = new Finder(text, '\n')
    if (this.delimiter === undefined) this.returns = this.feeds
    else {
      this.returns = new Finder(text, '\r')
      this.quotes = new Finder(text, '"')
      this.delimiters = new Finder(text, this.delimiter)
    }
  }

  private endRow(start: number, end: number, onRow: OnRow): void {
    const { quoted } = this
    this.quoted = false
    this.scanned = 0
    this.lines++
    if (this.isBlank(start, end, quoted)) return
    this.rows++
    onRow(start, end, quoted)
  }

  /** Remembers how far the row under way has been scanned: a long one is scanned once, however many pieces it comes in. */
  private unfinished(start: number, offset: number, last: boolean): number {
    if (this.text.length - start > LONGEST_ROW) return this.tooLong(start)
    if (last) this.problem = problem('quote-open', { row: Math.max(this.rows, 1) })
    this.scanned = offset - start
    return start
  }

  private tooLong(start: number): number {
    const limit = LONGEST_ROW
    this.problem =
      this.delimiter === undefined
        ? problem('line-too-long', { file: this.options.name, line: this.lines + 1, limit })
        : problem('row-too-long', { row: Math.max(this.rows, 1), limit })
    return start
  }

  /** Where the cell under way ends: at a delimiter, a line end or the end of the source. -1 if it goes on; then `scanned` is where. */
  private closing(from: number, last: boolean): number {
    const { text } = this
    const { length } = text
    for (let index = this.quotes.next(from); index < length; index = this.quotes.next(index + 1)) {
      if (text.charCodeAt(index + 1) === QUOTE) {
        index++
        continue
      }
      const after = this.afterSpaces(index + 1)
      if (after === length && !last) {
        this.scanned = index
        return -1
      }
      if (this.endsCell(after)) return after
    }
    this.scanned = length
    return -1
  }

  /** The quote that closes a cell, in a row that is whole. */
  private closeOf(from: number, end: number): number {
    const { text } = this
    for (let place = text.indexOf('"', from); place >= 0 && place < end; place = text.indexOf('"', place + 1)) {
      if (text.charCodeAt(place + 1) === QUOTE) place++
      else if (this.endsCell(this.afterSpaces(place + 1))) return place
    }
    return end
  }

  private endsCell(position: number): boolean {
    const { text } = this
    if (position >= text.length) return true
    const code = text.charCodeAt(position)
    return code === this.code || code === LF || code === CR
  }

  private afterSpaces(from: number): number {
    const { text, code } = this
    let position = from
    for (
      let number = text.charCodeAt(position);
      (number === SPACE || number === TAB) && number !== code;
      number = text.charCodeAt(position)
    )
      position++
    return position
  }

  /** Whether a row is an empty line, or a single cell of spaces. */
  private isBlank(start: number, end: number, quoted: boolean): boolean {
    const { text, code: delimiter } = this
    let quotes = 0
    for (let position = start; position < end; position++) {
      const code = text.charCodeAt(position)
      if (code === delimiter) return false
      if (code === QUOTE && quoted) quotes++
      else if (code !== SPACE && code !== TAB && code !== CR && code !== LF) return false
    }
    return quotes <= 2
  }
}

const DELIMITERS = [',', ';', '\t', '|']

/**
 * The character that separates the cells of a table: the one that cuts its heading into most cells, since a heading has no free text.
 *
 * @param last Whether the text ends the source.
 * @returns undefined if the text does not contain the whole heading.
 */
export function delimiterOf(text: string, last = true): string | undefined {
  let best = DELIMITERS[0]
  let most = 0
  for (const delimiter of DELIMITERS) {
    const count = headingCells(text, delimiter, last)
    if (count === undefined) return undefined
    if (count > most) [best, most] = [delimiter, count]
  }
  return best
}

/** How many cells the first non-empty row has; undefined if that row goes on after the text. */
function headingCells(text: string, delimiter: string, last: boolean): number | undefined {
  const scanner = new RowScanner(delimiter, { name: '' })
  let count: number | undefined
  scanner.scan(text, last, (start, end, quoted) => (count ??= scanner.cells(start, end, quoted).length))
  return count ?? (last || scanner.problem ? 0 : undefined)
}
