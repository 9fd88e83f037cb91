import type { WordingChange } from '@dunelight/node'

/** What changed a wording: `added`, `snippet house/style`, `renamed from label/old`. */
export function changeWords({ does, before, by }: WordingChange): string {
  const words = does === 'renamed' ? [`renamed from ${before ?? ''}`, ...by] : does === 'changed' ? by : [does]
  return does === 'broken' ? 'cannot be read' : words.join(', ')
}
