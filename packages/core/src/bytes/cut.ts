import { defined } from '../invariant.js'
import { DELIMITER, DOUBLED, ESCAPED, MOST_CELLS, TEXT, type ByteRow } from './row.js'

const QUOTE = 34

/**
 * Cuts a whole row into cells, as the scanner of tables does. `quoted`: whether one of its cells is in quotes.
 *
 * @returns false for a row with something between a quote and the end of its cell, or with too many cells: it is cut the other way
 */
export function cutRow(row: ByteRow, kinds: Uint8Array, start: number, end: number, quoted: boolean): boolean {
  const { source, starts, ends, kinds: found, forms } = row
  let cell = 0
  let from = start
  for (;;) {
    if (cell === MOST_CELLS) return false
    forms[cell] = TEXT
    let joined = 0
    let i = from
    if (quoted && i < end && source[i] === QUOTE) {
      for (i++; ; i++) {
        if (i >= end) return false
        const byte = defined(source[i])
        if (byte !== QUOTE) joined |= defined(kinds[byte])
        else if (i + 1 < end && source[i + 1] === QUOTE) {
          joined |= ESCAPED
          forms[cell] = DOUBLED
          i++
        } else break
      }
      starts[cell] = from + 1
      ends[cell] = i
      found[cell] = joined & ~DELIMITER
      i++
      if (i < end && (defined(kinds[defined(source[i])]) & DELIMITER) === 0) return false
    } else {
      for (; i < end; i++) {
        const kind = defined(kinds[defined(source[i])])
        // Most bytes have no kind.
        if (kind === 0) continue
        if ((kind & DELIMITER) !== 0) break
        joined |= kind
      }
      starts[cell] = from
      ends[cell] = i
      found[cell] = joined
    }
    cell++
    if (i >= end) break
    from = i + 1
  }
  row.cells = cell
  return true
}
