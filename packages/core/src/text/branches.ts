import type { Branch, Each, Vary, When } from './nodes.js'

/** The bodies of a block with their heads, in order: what every walk over a text goes through. */
export function branchesOf<B>(block: When<B> | Each<B> | Vary<B>): readonly Branch<B>[] {
  switch (block.kind) {
    case 'when':
      return block.branches
    case 'vary':
      return block.wordings
    case 'each': {
      const first = { head: block.head, condition: undefined, body: block.body }
      return block.otherwise ? [first, block.otherwise] : [first]
    }
  }
}
