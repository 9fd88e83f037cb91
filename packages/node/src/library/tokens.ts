import { countedByLines, type TokenEncoding } from 'dunelight/host'

const ENCODINGS = {
  o200k: () => import('gpt-tokenizer/encoding/o200k_base'),
  cl100k: () => import('gpt-tokenizer/encoding/cl100k_base'),
  p50k: () => import('gpt-tokenizer/encoding/p50k_base'),
  r50k: () => import('gpt-tokenizer/encoding/r50k_base'),
} as const

export type CountTokens = (text: string) => number

/**
 * Counts the tokens of a text in an encoding that is widely used; other models count a little differently, so a budget is one of this
 * encoding. Its tables are loaded when somebody counts. Prompts of a table share most of their lines, and a line is counted once: that is
 * exact where the cut cannot change how the text is split.
 */
export async function tokenCounter(encoding: TokenEncoding = 'o200k'): Promise<CountTokens> {
  const { countTokens } = await ENCODINGS[encoding]()
  // Words that some models read as orders to themselves are text like any other here.
  return countedByLines((text) => countTokens(text, { disallowedSpecial: new Set() }))
}

/** The same for whoever counts only now and then: nothing is loaded before the first of them asks. */
export function lazyTokenCounter(encoding: TokenEncoding = 'o200k'): () => Promise<CountTokens> {
  let counter: Promise<CountTokens> | undefined
  return () => (counter ??= tokenCounter(encoding))
}
