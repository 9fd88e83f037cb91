import { ProblemError, type Library } from 'dunelight'
import type { Batch } from 'dunelight/host'
import { KnownIds, readPools, readRecords, readyBatch } from '@dunelight/node/host'
import type { TableFile } from '@dunelight/node'
import { WrongUse } from '../ui/context.js'
import { namedBatch, type BatchFlags } from './batch-flags.js'
import { promptOf } from './open-library.js'
import { readSet } from './values.js'

/** How one set of values is named: each by itself, or a record of a table, as a batch reads it or as the options say. */
export interface ValueFlags extends Omit<BatchFlags, 'seed'> {
  readonly set?: string[]
  readonly record?: string
  readonly locale?: string
}

export interface NamedValues {
  readonly values: Readonly<Record<string, unknown>>
  /** The record's id; empty for values that are given one by one. */
  readonly id: string
}

/**
 * The values that the options name; undefined where they name none.
 *
 * @param what - A prompt, or a batch: then its own table, joins and values are used.
 */
export async function namedValues(library: Library, folder: string, what: string, flags: ValueFlags): Promise<NamedValues | undefined> {
  const { set, records, record, locale } = flags
  const isBatch = library.artefacts.batches.has(what)
  if (record !== undefined && records === undefined && !isBatch) throw new WrongUse('--record needs --records', 'add --records FILE')
  if (!isBatch && set === undefined && records === undefined) return undefined
  const prompt = library.inputOf(promptOf(library, what))
  const values = await readSet(prompt, set, { locale, limit: library.limits.attachmentBytes })
  if (!isBatch && records === undefined) return { values, id: '' }
  const { model, records: table } = namedBatch(library, folder, what, flags)
  const batch = await readyBatch(library, model, folder, { values, ...(locale !== undefined && { locale }) })
  if (!table) throw new WrongUse(`the batch "${what}" has no table`, 'add --records FILE')
  return findRecord(batch, folder, table, record)
}

/** The record of an id, or the first, joined as the batch joins it. */
async function findRecord(batch: Batch, folder: string, table: TableFile, id: string | undefined): Promise<NamedValues> {
  const known = new KnownIds()
  for await (const { records } of readRecords(batch, table, { pools: await readPools(batch, folder), folder })) {
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
