import { ProblemError } from 'dunelight'
import { byteList, bytesOf, contained, problem, turnTokens, type Batch, type BatchRecord, type LineOptions } from 'dunelight/host'
import { recordsOf, type RecordSource } from '../sources/records.js'
import { Selection } from './selection.js'

/**
 * Counts the tokens of all prompts before the first is used. A text has no more tokens than bytes, so tokens are counted only if the bytes
 * are over the budget.
 *
 * @param factor How many tokens the model uses for one that is counted, as earlier runs found.
 * @throws ProblemError if they are over the budget: by how much, and how many records fit.
 */
export async function checkBudget(source: RecordSource, options: LineOptions, factor = 1): Promise<void> {
  const { budget: whole } = source.batch.model
  const { countTokens } = options
  if (whole === undefined || !countTokens) return
  const budget = whole / factor
  const bytes = await total(source, options, bytesOfRecord(source.batch), Infinity)
  if (bytes.sum <= budget) return
  const tokens = await total(source, options, tokensOfRecord(source.batch, countTokens), budget)
  if (tokens.sum <= budget) return
  const { fit, records } = tokens
  throw new ProblemError([problem('budget-exceeded', { tokens: Math.round(tokens.sum * factor), budget: whole, fit, records })])
}

type Measure = (record: BatchRecord, options: { readonly record: string; readonly seed?: number; readonly locale?: string }) => number

/** The bytes of a record's prompts, candidates counted. */
function bytesOfRecord(batch: Batch): Measure {
  if (!batch.assembly) return ({ prepared }, named) => prepared?.bytes(named).length ?? 0
  return ({ prepared }, named) =>
    prepared ? batch.requests(prepared, named).reduce((sum, { turns, times }) => sum + times * byteList(bytesOf(turns)).length, 0) : 0
}

function tokensOfRecord(batch: Batch, countTokens: (text: string) => number): Measure {
  return ({ prepared }, named) =>
    prepared ? batch.requests(prepared, named).reduce((sum, { turns, times }) => sum + times * turnTokens(turns, countTokens), 0) : 0
}

/** What all prompts measure together, and how many records stay within the budget. Records that cannot be rendered have no prompt. */
async function total(source: RecordSource, { seed, locale }: LineOptions, measure: Measure, budget: number) {
  const selection = new Selection({ take: source.batch.model.take, unique: true })
  let [sum, records, fit] = [0, 0, 0]
  for await (const chunk of recordsOf(source)) {
    for (const record of chunk.records) {
      if (selection.full) return { sum, records, fit }
      if (selection.of(record) !== 'wanted' || !record.prepared) continue
      const options = { record: record.id, ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) }
      try {
        sum += contained(() => measure(record, options))
      } catch (fault) {
        if (!(fault instanceof ProblemError)) throw fault
        continue
      }
      records++
      if (sum <= budget) fit = records
    }
  }
  return { sum, records, fit }
}
