import { problem, ProblemError, type BatchRecord } from 'dunelight'
import { recordsOf } from '../batches/blocks.js'
import { Names } from '../batches/names.js'
import type { RecordChunk } from '../sources/records.js'

/**
 * The records that a run asks for, or that of one name alone: `take` counts those that fit, and one whose name came before is set aside.
 *
 * @throws ProblemError where there is none of that name.
 */
export async function* askedRecords(of: Parameters<typeof recordsOf>[0], only?: string): AsyncGenerator<RecordChunk> {
  const names = new Names()
  let left = of.batch.model.take ?? Infinity
  let found = false as boolean
  function* wanted(records: Iterable<BatchRecord>): Generator<BatchRecord> {
    for (const record of records) {
      if (left <= 0) return
      if (only !== undefined && record.id !== only) continue
      found = true
      const again = record.prepared !== undefined && record.named && names.add(record.id)
      if (record.prepared && !again) left--
      yield again ? { ...record, prepared: undefined, problems: [problem('record-named-twice', { name: record.id })] } : record
      if (only !== undefined) left = 0
    }
  }
  for await (const chunk of recordsOf(of)) {
    yield { ...chunk, records: wanted(chunk.records) }
    if (left <= 0) return
  }
  if (only !== undefined && !found) throw new ProblemError([problem('record-unknown', { id: only })])
}
