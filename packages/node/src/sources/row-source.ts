import { BEYOND, DOUBLED, type ByteRow } from 'dunelight/bytes'

/** The bytes of a row, a block of rows at a time. */
export class RowSource {
  private memory = Buffer.alloc(0)

  /** @param hasEscapes Whether texts are written behind the rows as they are meant: those of lines of JSON. */
  constructor(
    private readonly row: ByteRow,
    private readonly hasEscapes: boolean,
  ) {}

  /** Whole rows, to be cut one after the other. */
  take(bytes: Uint8Array): void {
    const { row } = this
    const source = this.hasEscapes ? this.withRoom(bytes) : Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length)
    row.source = source
    // One text for the block: to make one of each cell costs ten times as much.
    row.characters = source.toString('latin1', 0, bytes.length)
  }

  /** The same bytes with room for a row behind them, which is no longer than all of them. */
  private withRoom(bytes: Uint8Array): Buffer {
    if (this.memory.length < 2 * bytes.length) this.memory = Buffer.allocUnsafeSlow(4 * bytes.length)
    this.memory.set(bytes)
    return this.memory
  }
}

/** A cell as text, with its quotes as they are meant. */
export function textOf({ source, characters, starts, ends, kinds, forms }: ByteRow, column: number): string {
  const start = starts[column] ?? 0
  const end = ends[column] ?? 0
  const isAscii = ((kinds[column] ?? 0) & BEYOND) === 0
  const text = isAscii && end <= characters.length ? characters.slice(start, end) : (source as Buffer).toString('utf8', start, end)
  return forms[column] === DOUBLED ? text.replaceAll('""', '"') : text
}
