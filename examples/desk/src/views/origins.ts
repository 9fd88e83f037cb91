import type { Library, Origin } from 'dunelight'
import type { OriginKind, Span } from 'dunelight/parts'
import type { FilePlace } from '../state/page-state.js'

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
/** The same in a word or two, for the legend. */
export const KIND_WORDS: Readonly<Record<OriginKind, string>> = {
  fixed: 'your text',
  value: 'record',
  snippet: 'snippet',
  persona: 'persona',
  example: 'example',
  output: 'form',
  made: 'format',
}
export const KINDS = Object.keys(KIND_NAMES) as OriginKind[]

/** One line that names a span's origin and its place. */
export function nameOrigin(origin: Origin): string {
  const [use] = origin.within
  const subject = origin.path ?? use?.name
  const format = origin.format === undefined ? '' : ` as ${origin.format}`
  return `${KIND_NAMES[origin.kind]}${subject === undefined ? '' : `: ${subject}${format}`} · ${origin.place.file}, line ${origin.place.line}`
}

/** The place of a span in its file. */
export function placeOf({ span, place }: Origin): FilePlace {
  return placeIn(place.file, span)
}

/** A span as a place in its file. */
export function placeIn(file: string, { source, start, end }: Span): FilePlace {
  return { file, start: source.fileOffset(start), end: end > start ? source.fileOffset(end - 1) + 1 : source.fileOffset(start) }
}

/** The same in a file of the library: what the standard layout of a persona writes leads to the persona. */
export function sourceOf(origin: Origin, { artefacts }: Library): FilePlace {
  const place = placeOf(origin)
  const persona = origin.within.find(({ what }) => what === 'persona')
  const file = persona && artefacts.personas.get(persona.name)?.file.name
  return place.file.includes('.') || file === undefined ? place : { file, start: 0, end: 0 }
}

/** Whether a cursor is in the origin of a span. */
export function isAt(origin: Origin, cursor: { readonly file: string; readonly offset: number } | undefined): boolean {
  if (cursor?.file !== origin.place.file) return false
  const { start, end } = placeOf(origin)
  return cursor.offset >= start && cursor.offset <= end
}
