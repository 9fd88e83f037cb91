import type { Branch, Each, Item, Piece, Vary, When } from './nodes.js'

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

/** All nodes of a text in order, those within lines, passages and blocks too. */
export function nodesIn(nodes: readonly (Item | Piece)[], found: (Item | Piece)[] = []): (Item | Piece)[] {
  for (const node of nodes) {
    found.push(node)
    if (node.kind === 'line' || node.kind === 'passage') nodesIn(node.pieces, found)
    else if (node.kind === 'when' || node.kind === 'vary' || node.kind === 'each')
      for (const branch of branchesOf<Item | Piece>(node)) nodesIn(branch.body, found)
  }
  return found
}
