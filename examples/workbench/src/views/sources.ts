import type { Bench } from '../bench/bench.js'
import type { Choice } from './chooser.js'

/** Where records can come from: the batches of the prompt, then the library's tables. */
export function sourcesOf(bench: Bench): Choice[] {
  return [
    ...bench.batchesOf(bench.wanted.prompt).map((name) => ({ value: `batch ${name}`, label: `batch ${name}` })),
    ...bench.data.data.map(({ path }) => ({ value: `table ${path}`, label: path })),
  ]
}

export function sourceOfBench({ wanted, tablePath }: Bench): string | null {
  if (wanted.batch !== undefined) return `batch ${wanted.batch}`
  return tablePath === undefined ? null : `table ${tablePath}`
}

export function chooseSource(bench: Bench, value: string): void {
  const at = value.indexOf(' ')
  const name = value.slice(at + 1)
  void bench.chooseSource(value.startsWith('batch ') ? { batch: name } : { table: name })
}
