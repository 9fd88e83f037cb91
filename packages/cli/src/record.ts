import { problem, ProblemError, type Prompt } from 'dunelight'
import { readRecords } from '@dunelight/node'

/** The record of an id, or the first. */
export async function findRecord(prompt: Prompt, table: string, id: string | undefined, given: Record<string, unknown>) {
  for await (const { records } of readRecords(table, prompt, { given })) {
    for (const record of records) {
      if (id !== undefined && record.id !== id) continue
      if (!record.prepared) throw new ProblemError(record.problems)
      return { values: record.prepared.values, id: record.id }
    }
  }
  throw new ProblemError([problem('record-unknown', { id: id ?? '1' })])
}
