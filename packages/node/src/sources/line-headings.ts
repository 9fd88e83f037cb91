import { ByteRow, JsonCutter } from 'dunelight/bytes'
import { rowOfCut } from './cut-rows.js'
import { cuts, type Cutting } from './cutter.js'
import { RowSource } from './row-source.js'

/**
 * All keys of a file of lines of JSON, in the order in which they are first seen. Most lines have the keys of those before them, and are not
 * parsed.
 *
 * @param known - Keys that are known already.
 * @throws ProblemError if it is no text, or a line is too long.
 */
export async function lineHeadings(path: string, cutting: Cutting, known: readonly string[]): Promise<readonly string[]> {
  const row = new ByteRow()
  const source = new RowSource(row, true)
  let headings = known
  let lines = new JsonCutter(headings)
  for await (const cut of cuts(path, cutting, { name: path })) {
    const { bytes, places, encoding } = cut
    source.take(bytes)
    for (let i = 0; i * 3 < places.length; i++) {
      if (encoding === 'utf-8' && lines.cut(row, places[3 * i] ?? 0, places[3 * i + 1] ?? 0)) continue
      const next = rowOfCut(cut, i, { name: path, delimiter: undefined, headings }).headings
      if (next === headings) continue
      headings = next
      lines = new JsonCutter(headings)
    }
  }
  return headings
}
