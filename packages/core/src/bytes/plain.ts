import { defined } from '../invariant.js'
import { isSuspectCell, type Decode } from './bounds.js'
import { BEYOND, CONTROL, copyTo, ESCAPED, SUSPECT, type ByteRow } from './row.js'

/** Fixed text, escaped as in JSON, or a cell that is written as it stands. */
export type PlainPiece = Uint8Array | PlainCell

interface PlainCell {
  readonly column: number
  /** Whether text that looks like the tag of a fence is not allowed in it. */
  readonly isGuarded: boolean
}

/** Fixed texts and cells as one step, without a call for each. Most of a prompt is written this way. */
export function plainStep(pieces: readonly PlainPiece[], decode: Decode): (row: ByteRow) => void {
  const cells = pieces.flatMap((piece) => (piece instanceof Uint8Array ? [] : [piece]))
  const columns = Int32Array.from(cells, ({ column }) => column)
  const guards = Uint8Array.from(cells, ({ isGuarded }) => (isGuarded ? SUSPECT | BEYOND : 0))
  const texts = textsAround(pieces)
  const last = defined(texts[columns.length])
  return (row) => {
    const { out, source, starts, ends, kinds } = row
    let { at } = row
    for (let i = 0; i < columns.length; i++) {
      at = copyTo(out, at, defined(texts[i]))
      const column = defined(columns[i])
      const kind = defined(kinds[column])
      if ((kind & defined(guards[i])) !== 0) row.isOdd ||= isSuspectCell(row, column, decode)
      if ((kind & (CONTROL | ESCAPED)) === 0) {
        const end = defined(ends[column])
        for (let from = defined(starts[column]); from < end; from++) out[at++] = defined(source[from])
      } else {
        row.at = at
        row.cell(column)
        at = row.at
      }
    }
    row.at = copyTo(out, at, last)
  }
}

/** The fixed text before each cell, and after the last. */
function textsAround(pieces: readonly PlainPiece[]): Uint8Array[] {
  const texts: Uint8Array[] = []
  let before: number[] = []
  for (const piece of pieces) {
    if (piece instanceof Uint8Array) before.push(...piece)
    else {
      texts.push(Uint8Array.from(before))
      before = []
    }
  }
  return [...texts, Uint8Array.from(before)]
}
