/** What an output is made as while a run goes on, and what it becomes at its end. */
export const OUTPUT_ENDINGS = ['.jsonl', '.csv', '.tsv', '.xlsx', '.parquet'] as const
export type OutputEnding = (typeof OUTPUT_ENDINGS)[number]
