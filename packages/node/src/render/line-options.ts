import { hash } from 'node:crypto'
import type { Batch, LineOptions } from 'dunelight/host'
import { tokenCounter } from '../library/tokens.js'

/** How a batch's lines are written. `bare`: the record and its turns alone. */
export async function lineOptions({ model, locale, prompt }: Batch, bare: boolean): Promise<LineOptions> {
  const counts = model.tokens || model.budget !== undefined
  return {
    full: !bare,
    hash: (bytes) => hash('sha256', Buffer.from(bytes, 'latin1')),
    ...(model.seed !== undefined && { seed: model.seed }),
    ...(locale !== undefined && { locale }),
    ...(counts && { countTokens: await tokenCounter(prompt.tokenEncoding) }),
  }
}
