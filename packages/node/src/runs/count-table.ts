import { ProblemError } from 'dunelight'
import { contained, turnTokens, type Batch } from 'dunelight/host'
import { tokenCounter } from '../library/tokens.js'
import type { TableFile } from '../sources/open-table.js'
import { openSource, recordsOf } from '../sources/records.js'
import { Selection } from './selection.js'

/** What a table asks for, before anything is asked. */
export interface TableCounts {
  /** Records that a run would take. */
  readonly records: number
  /** Those that can be rendered. */
  readonly fit: number
  /** Tokens of all their prompts; estimated from the first records where there are many. */
  readonly tokens: number
  readonly isEstimated: boolean
}

/** Records whose tokens are counted: those of the others are taken to be alike. */
const MOST_COUNTED = 2000

/**
 * Counts the records of a batch and the tokens of their prompts.
 *
 * @throws ProblemError if the table cannot be read.
 */
export async function countsOfTable(batch: Batch, folder: string, table: TableFile): Promise<TableCounts> {
  const source = await openSource(batch, folder, table)
  const countTokens = await tokenCounter(batch.prompt.tokenEncoding)
  const { seed, take } = batch.model
  const selection = new Selection({ take, unique: true })
  let [records, fit, counted, tokens] = [0, 0, 0, 0]
  for await (const chunk of recordsOf(source)) {
    for (const record of chunk.records) {
      if (selection.full) return { records, fit, tokens: whole(tokens, counted, fit), isEstimated: fit > counted }
      const state = selection.of(record)
      if (state === 'skipped') continue
      records++
      if (state !== 'wanted' || !record.prepared) continue
      const { prepared, id } = record
      const options = { record: id, ...(seed !== undefined && { seed }), ...(batch.locale !== undefined && { locale: batch.locale }) }
      try {
        if (counted < MOST_COUNTED) {
          tokens += contained(() =>
            batch.requests(prepared, options).reduce((sum, { turns, times }) => sum + times * turnTokens(turns, countTokens), 0),
          )
          counted++
        }
        fit++
      } catch (fault) {
        if (!(fault instanceof ProblemError)) throw fault
      }
    }
  }
  return { records, fit, tokens: whole(tokens, counted, fit), isEstimated: fit > counted }
}

function whole(tokens: number, counted: number, fit: number): number {
  return counted === 0 ? 0 : Math.round((tokens / counted) * fit)
}
