import { cellText } from '../values/cells.js'
import { clip } from '../values/data.js'

/** Rows that are looked at, and the characters that they may have together: a table of documents is larger than memory. */
const MOST_ROWS = 1000
const MOST_CHARACTERS = 4_000_000

/** The first 1,000 rows of a table, by which it is known what names its records. */
export class FirstRows {
  private readonly rows: (readonly unknown[])[] = []
  private characters = 0

  /** Whether further rows change nothing. */
  get full(): boolean {
    return this.rows.length >= MOST_ROWS || this.characters >= MOST_CHARACTERS
  }

  add(cells: readonly unknown[]): void {
    if (this.full) return
    this.rows.push(cells)
    for (const cell of cells) this.characters += typeof cell === 'string' ? cell.length : 1
  }

  /**
   * The heading of the column that names the records: the first whose cells look like identifiers, with none empty and no two alike. Where there
   * is none, records are named by their row numbers.
   */
  idHeading(headings: readonly string[]): string | undefined {
    if (this.rows.length === 0) return undefined
    return headings.find((heading, i) => {
      if (heading === '' || headings.indexOf(heading) !== i) return false
      const isId = isCalledId(heading) ? isShort : isCode
      const seen = new Set<string>()
      for (const cells of this.rows) {
        const text = cellText(cells[i]).trim()
        if (text === '' || !isId(text)) return false
        seen.add(text)
      }
      return seen.size === this.rows.length
    })
  }

  /** The column that is meant to name the records and does not: its heading says so, but a cell is empty or stands twice. */
  almost(headings: readonly string[]): { readonly heading: string; readonly cell: string; readonly rows: readonly number[] } | undefined {
    for (const [i, heading] of headings.entries()) {
      if (!isCalledId(heading)) continue
      const seen = new Map<string, number>()
      for (const [row, cells] of this.rows.entries()) {
        const cell = cellText(cells[i]).trim()
        const before = seen.get(cell)
        if (cell === '') return { heading, cell, rows: [row + 1] }
        if (before !== undefined) return { heading, cell: clip(cell, 40), rows: [before, row + 1] }
        seen.set(cell, row + 1)
      }
    }
    return undefined
  }
}

/** Whether a heading says that its column holds identifiers: `Object No.`, `hiveId`, `code`, `name`. */
function isCalledId(heading: string): boolean {
  const words = heading
    .replace(/(\p{Ll})(\p{Lu})/gu, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\d]+/u)
    .filter((word) => word !== '')
  if (words.some((word) => REACHES.has(word))) return false
  return ID.has(words.at(-1) ?? '') || words.join('') === 'name'
}
const ID: ReadonlySet<string> = new Set(['id', 'no', 'nr', 'number', 'key', 'code'])
/** Numbers by which a person is reached: nothing should be named by them. */
const REACHES: ReadonlySet<string> = new Set(['phone', 'telephone', 'mobile', 'fax', 'card', 'account'])

function isShort(text: string): boolean {
  return text.length <= LONGEST_ID && !/[\r\n@]/.test(text)
}

/** `MH-0001`, `2026/17`, `a7f3`: one word with a digit, and with more than digits; neither a date, a measure nor a file. */
function isCode(text: string): boolean {
  return text.length <= LONGEST_ID && CODE.test(text) && !MEASURE.test(text)
}
const LONGEST_ID = 64
const CODE = /^(?=.*\d)(?=.*[\p{L}/_-])[\p{L}\d](?:[\p{L}\d./_-]*[\p{L}\d])?$/u
/** `2026-11-30`, `2026-11-30T08`, `12cm`, `1-2`, `note.txt`. */
const MEASURE = /^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}(?:T|$)|^[\d.]+\p{L}{1,3}$|^\d{1,2}[-/]\d{1,2}$|\.\p{L}{1,5}$/u
