import type { Wanted } from '../model/subject.js'
import type { Desk } from '../state/desk.js'
import type { Choice } from './chooser.js'

/** Where records can come from: the batches of the prompt, then the library's tables. */
export function sourcesOf(desk: Desk): Choice[] {
  return [
    ...desk.library.batchesOf(desk.state.selection.wanted.prompt).map((name) => ({ value: `batch ${name}`, label: `batch ${name}` })),
    ...desk.state.library.data.data.map(({ path }) => ({ value: `table ${path}`, label: path })),
  ]
}

export function sourceOf(wanted: Wanted, path: string | undefined): string | null {
  if (wanted.batch !== undefined) return `batch ${wanted.batch}`
  return path === undefined ? null : `table ${path}`
}

export function chooseSource(desk: Desk, value: string): void {
  const position = value.indexOf(' ')
  const name = value.slice(position + 1)
  void desk.selection.chooseSource(value.startsWith('batch ') ? { batch: name } : { table: name })
}
