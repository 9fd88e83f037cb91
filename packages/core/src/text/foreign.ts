import type { Cursor } from './cursor.js'
import type { Span } from '../source/source.js'

/** Hears of a word or sign that another language has, and of what is written here. It is then taken as meant: one slip is one problem. */
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
export function isForeignInBraces(word: string, rest: string): boolean {
  if (!DIRECTIVES.has(word) || NEVER_IN_BRACES.has(word)) return false
  return !WITH_MORE.has(word) || /^[ \t]+[^\s}]/.test(rest)
}

/** Takes one of these signs; what it is here is heard. */
export function takeForeign(cursor: Cursor, signs: Readonly<Record<string, string>>, onForeign: OnForeign): string | undefined {
  cursor.blanks()
  const start = cursor.position
  for (const [sign, meant] of Object.entries(signs))
    if (cursor.take(sign)) {
      onForeign(sign, meant, cursor.span(start))
      return meant
    }
  return undefined
}
