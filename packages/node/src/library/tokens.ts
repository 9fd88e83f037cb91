import { countedByLines, type TokenEncoding } from 'dunelight/host'

const ENCODINGS = {
  o200k: () => import('gpt-tokenizer/encoding/o200k_base'),
  cl100k: () => import('gpt-tokenizer/encoding/cl100k_base'),
  p50k: () => import('gpt-tokenizer/encoding/p50k_base'),
  r50k: () => import('gpt-tokenizer/encoding/r50k_base'),
} as const

export type CountTokens = (text: string) => number

/**
 * Loads a token counter. Other models count slightly differently, so a budget counts tokens of this encoding.
 * Each distinct line is counted once, which is exact where a line break always ends a token.
 *
 * @param encoding - The encoding. Default: `o200k`.
 * @returns A function from a text to its number of tokens.
 * @example
 * const count = await tokenCounter()
 * count('The lamp is made of brass.') // => 7
 */
export async function tokenCounter(encoding: TokenEncoding = 'o200k'): Promise<CountTokens> {
  const { countTokens } = await ENCODINGS[encoding]()
  // Words that some models read as orders to themselves are text like any other here.
  return countedByLines((text) => countTokens(text, { disallowedSpecial: new Set() }))
}

/** The same for callers that count only now and then: the tables are loaded by the first count. */
export function lazyTokenCounter(encoding: TokenEncoding = 'o200k'): () => Promise<CountTokens> {
  let counter: Promise<CountTokens> | undefined
  return () => (counter ??= tokenCounter(encoding))
}
