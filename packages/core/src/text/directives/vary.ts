import type { DirectiveSyntax } from './directive.js'
import type { Vary } from '../nodes.js'

/** vary = "vary" … { "instead" … } "end" */
export const vary: DirectiveSyntax<undefined> = {
  word: 'vary',
  shape: 'vary',
  about: 'writes one of its wordings, by seed and record',
  branches: ['instead'],
  head: () => undefined,
  build: (_, { branches, ...block }, number): Vary<unknown> => ({ kind: 'vary', ...block, wordings: branches, number }),
}
