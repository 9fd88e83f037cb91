import type { DirectiveSyntax } from './directive.js'
import type { Note } from '../nodes.js'

/** aside = "aside" anything up to the line's end, or in braces up to the first "}" */
export const aside: DirectiveSyntax<undefined> = {
  word: 'aside',
  shape: 'aside …',
  about: 'writes nothing: a note among authors',
  branches: undefined,
  head: (cursor) => {
    cursor.position = cursor.end
    return undefined
  },
  build: (_, { form, head, span, indent }): Note => ({ kind: 'aside', form, head, span, indent }),
}
