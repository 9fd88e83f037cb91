import { ProblemError, type Library, type Prompt } from 'dunelight'
import { plainBatch } from 'dunelight/host'
import { KnownIds, readRecords } from '@dunelight/node/host'
import { WrongUse } from '../ui/context.js'
import { readSet } from './values.js'

/** How one set of values is named: each by itself, or a record of a table. */
export interface ValueFlags {
  readonly set?: string[]
  readonly records?: string
  readonly record?: string
}

/** The values that the options name, with the record's id; undefined where they name none. */
export async function namedValues(library: Library, prompt: Prompt, { set, records, record }: ValueFlags) {
  if (record !== undefined && records === undefined) throw new WrongUse('--record needs --records', 'add --records FILE')
  if (set === undefined && records === undefined) return undefined
  const values = await readSet(prompt, set, { limit: library.limits.attachmentBytes })
  return records === undefined ? { values, id: '' } : findRecord(prompt, records, record, values)
}

/** The record of an id, or the first. */
export async function findRecord(prompt: Prompt, table: string, id: string | undefined, values: Record<string, unknown>) {
  const known = new KnownIds()
  for await (const { records } of readRecords(plainBatch(prompt, { values }), table)) {
    for (const record of records) {
      if (id !== undefined && record.id !== id) {
        known.add(record.id)
        continue
      }
      if (!record.prepared) throw new ProblemError(record.problems)
      return { values: record.prepared.values, id: record.id }
    }
  }
  throw new ProblemError([known.unknown(id ?? '1')])
}
