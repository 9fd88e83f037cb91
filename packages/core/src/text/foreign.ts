import type { Cursor } from './cursor.js'
import type { Span } from '../source/source.js'

/** Hears of a word or mark that another language has, and of what is written here. It is then taken as meant: one slip is one problem. */
export type OnForeign = (written: string, meant: string, span: Span) => void

/** Words that begin or end blocks elsewhere, with ours. */
const DIRECTIVES: ReadonlyMap<string, string> = new Map([
  ['if', 'when'],
  ['for', 'each'],
  ['foreach', 'each'],
  ['else', 'otherwise'],
  ['elif', 'otherwise when'],
  ['elsif', 'otherwise when'],
  ['elseif', 'otherwise when'],
  ['endif', 'end'],
  ['endfor', 'end'],
  ['endeach', 'end'],
  ['endwhen', 'end'],
  ['include', 'use'],
  ['import', 'use'],
  ['raw', 'untouched'],
  ['comment', 'aside'],
])

/** Words that may be names too: in braces they are directives only if more follows. */
const WITH_MORE: ReadonlySet<string> = new Set(['if', 'for', 'foreach', 'include', 'import'])
const NEVER_IN_BRACES: ReadonlySet<string> = new Set(['raw', 'comment'])

export interface ForeignWord {
  /** The directive that is meant. */
  readonly word: string
  /** Whether a condition follows: `elif`. */
  readonly isConditional: boolean
  readonly written: string
  readonly meant: string
}

/** A directive's word of another language; the cursor is behind it. */
export function foreignDirective(word: string, cursor: Cursor): ForeignWord | undefined {
  const written = word === 'else' && cursor.takeWord('if') ? 'else if' : word
  const meant = written === 'else if' ? 'otherwise when' : DIRECTIVES.get(word)
  if (meant === undefined) return undefined
  const [first = meant, second] = meant.split(' ')
  return { word: first, isConditional: first === 'otherwise' && second === 'when', written, meant }
}

/** Whether a brace begins a directive of another language. */
export function isForeignInBraces(word: string, { source, position }: Cursor): boolean {
  if (!DIRECTIVES.has(word) || NEVER_IN_BRACES.has(word)) return false
  MORE.lastIndex = position + word.length
  return !WITH_MORE.has(word) || MORE.test(source.text)
}

const MORE = /[ \t]+[^\s}]/y

/** Marks of another language, each with ours; of two that begin alike the longer one comes first. */
export type ForeignMarks = readonly (readonly [mark: string, meant: string])[]

/** Takes one of these marks, and reports what is written in its place. */
export function takeForeign(cursor: Cursor, marks: ForeignMarks, onForeign: OnForeign): string | undefined {
  cursor.blanks()
  const start = cursor.position
  for (const [mark, meant] of marks)
    if (cursor.take(mark)) {
      onForeign(mark, meant, cursor.span(start))
      return meant
    }
  return undefined
}
