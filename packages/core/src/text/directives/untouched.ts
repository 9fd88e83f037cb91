import type { DirectiveSyntax } from './directive.js'
import type { Line, Untouched } from '../nodes.js'

/** untouched = "untouched" line-end { line } "end"; the end is the first with the opener's own indentation */
export const untouched: DirectiveSyntax<undefined> = {
  word: 'untouched',
  shape: 'untouched',
  about: 'writes its lines as they are',
  branches: [],
  head: () => undefined,
  build: (_, { branches, ...block }): Untouched => ({ kind: 'untouched', ...block, lines: (branches[0]?.body ?? []) as unknown as Line[] }),
}
