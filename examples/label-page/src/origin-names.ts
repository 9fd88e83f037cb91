import type { Origin } from 'dunelight'
import type { OriginKind } from 'dunelight/parts'

/** What each kind of origin is called on the page. */
export const KIND_NAMES: Readonly<Record<OriginKind, string>> = {
  fixed: 'text of the prompt',
  value: 'from the record',
  snippet: 'snippet',
  persona: 'persona',
  example: 'example',
  output: 'form of the answer',
  made: 'made by a format or directive',
}

/** The kinds that label texts show, in the order of the legend. */
export const SHOWN_KINDS: readonly OriginKind[] = ['fixed', 'value', 'snippet', 'persona', 'output', 'made']

/** One line that names a span's origin and its place. */
export function nameOrigin(origin: Origin): string {
  const [use] = origin.within
  const subject = origin.path ?? use?.name
  const format = origin.format === undefined ? '' : ` as ${origin.format}`
  return `${KIND_NAMES[origin.kind]}${subject === undefined ? '' : `: ${subject}${format}`} · ${origin.place.file}, line ${origin.place.line}`
}
