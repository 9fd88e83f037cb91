import type { Cursor } from '../cursor.js'
import type { ValueContext } from '../values.js'
import type { Branch, Form, Piece, Item } from '../nodes.js'
import type { Span } from '../../source/source.js'

/** A block that has found its end, or the end of the text. */
export interface Closed<B> {
  readonly form: Form
  readonly indent: string
  readonly head: Span
  readonly span: Span
  readonly tail: Span
  readonly branches: readonly Branch<B>[]
}

/** What a directive adds to the language. `Head` is the content of its opener without the word. */
export interface DirectiveSyntax<Head = unknown> {
  readonly word: string
  /** Characters for completion: what may follow the word. */
  readonly shape: string
  readonly about: string
  /** Words that begin another branch of this block; none: a directive of one line. */
  readonly branches: readonly string[] | undefined
  head(cursor: Cursor, context: ValueContext): Head
  /** For a block: the node; called with bodies of items (line form) or pieces (inline form). */
  build<B extends Item | Piece>(head: Head, block: Closed<B>, number: number): unknown
}
