/**
 * Counts the tokens of a text in a widely used encoding (o200k): other models count a little differently, so a budget is one of this
 * encoding. Its tables are loaded when somebody counts.
 */
export async function tokenCounter(): Promise<(text: string) => number> {
  const { countTokens } = await import('gpt-tokenizer/encoding/o200k_base')
  // Words that some models read as orders to themselves are text like any other here.
  return (text) => countTokens(text, { disallowedSpecial: new Set() })
}
