import { defined } from 'dunelight/host'
import type { RecordChunk } from './record-chunk.js'
import type { BatchRecord } from 'dunelight/host'

/** How many records are passed on at a time. */
const SOME = 256

/**
 * A number of records drawn at random from all, in table order. Every record has the same chance whatever the table's length, which is not known
 * before its end: one that comes late takes the place of one that came before. The same seed draws the same.
 */
export async function* sampled(source: AsyncIterable<RecordChunk>, count: number, seed: number): AsyncGenerator<RecordChunk> {
  const draw = randomNumbers(seed)
  const drawn: { readonly record: BatchRecord; readonly headings: readonly string[] }[] = []
  let before = 0
  let bytesRead = 0
  for await (const chunk of source) {
    bytesRead = chunk.bytesRead
    for (const record of chunk.records) {
      before++
      if (drawn.length < count) drawn.push({ record, headings: chunk.headings })
      else {
        const position = Math.floor(draw() * before)
        if (position < count) drawn[position] = { record, headings: chunk.headings }
      }
    }
  }
  drawn.sort((a, b) => a.record.row - b.record.row)
  for (let offset = 0; offset < drawn.length;) {
    const { headings } = defined(drawn[offset])
    const some = drawn.slice(offset, offset + SOME)
    const end = some.findIndex((item) => item.headings !== headings)
    const records = (end < 0 ? some : some.slice(0, end)).map((item) => item.record)
    offset += records.length
    yield { headings, records, bytesRead, rows: records.length }
  }
}

/** Numbers from 0 to 1, the same for the same seed on every machine (mulberry32). */
function randomNumbers(seed: number): () => number {
  let state = (seed ^ 0x5bf03635) >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296
  }
}
