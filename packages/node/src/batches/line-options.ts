import { hash } from 'node:crypto'
import type { Batch, BatchModel, LineOptions } from 'dunelight'
import { tokenCounter } from '../tokens.js'

/** How a batch's lines are written. `bare`: the record and its turns alone. */
export async function lineOptions(batch: Batch, model: BatchModel, bare: boolean): Promise<LineOptions> {
  const counts = model.tokens || model.budget !== undefined
  return {
    full: !bare,
    hash: (bytes) => hash('sha256', Buffer.from(bytes, 'latin1')),
    ...(model.seed !== undefined && { seed: model.seed }),
    ...(batch.locale !== undefined && { locale: batch.locale }),
    ...(counts && { countTokens: await tokenCounter(batch.prompt.tokenEncoding) }),
  }
}
