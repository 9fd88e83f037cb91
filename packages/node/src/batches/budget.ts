import { problem, ProblemError } from 'dunelight'
import { renderBlocks, type Rendering } from './blocks.js'

/**
 * Counts the tokens of all prompts before the first is written. A text has no more tokens than bytes, so that nothing is counted where the
 * bytes are within the budget.
 *
 * @param factor What earlier runs found the model to use beside a count.
 * @throws ProblemError where they are over it: by how much, and how many records fit.
 */
export async function checkBudget(rendering: Rendering, whole: number, take: number | undefined, factor = 1): Promise<void> {
  const budget = whole / factor
  const { countTokens: _, ...uncounted } = rendering.line
  const quiet: Rendering = { batch: rendering.batch, source: rendering.source, pools: rendering.pools, form: NOTHING, line: rendering.line }
  const bytes = await total({ ...quiet, line: { ...uncounted, full: false } }, Infinity, take)
  if (bytes.sum <= budget) return
  const tokens = await total({ ...quiet, line: { ...rendering.line, full: false } }, budget, take)
  if (tokens.sum > budget)
    throw new ProblemError([
      problem('budget-exceeded', { tokens: Math.round(tokens.sum * factor), budget: whole, fit: tokens.fit, records: tokens.records }),
    ])
}

const NOTHING = { head: '', record: () => ' ' }

/** The tokens of all prompts, or their bytes where tokens are not counted; and how many records stay within the budget. */
async function total(rendering: Rendering, budget: number, take = Infinity) {
  let [sum, records, fit] = [0, 0, 0]
  for await (const { lengths, sizes, tokens } of renderBlocks(rendering)) {
    for (let i = 0; i < lengths.length && records < take; i++) {
      if (lengths[i] === 0) continue
      sum += tokens?.[i] ?? sizes[i]!
      records++
      if (sum <= budget) fit = records
    }
    if (records >= take) break
  }
  return { sum, records, fit }
}
