import { branchesOf } from './branches.js'
import type { Item, Piece, Text } from './nodes.js'
import type { Span } from '../source/source.js'

/**
 * Prints a parsed text. The result equals the source byte for byte, with its line breaks and errors.
 *
 * @param text - A parsed text.
 * @returns The source text.
 * @example
 * printText(parseText(new Source('note', 'Dear {name},\r\n'), () => {})) // => 'Dear {name},\r\n'
 */
export function printText(text: Text): string {
  const parts: string[] = text.source.text.startsWith('\uFEFF') ? ['\uFEFF'] : []
  for (const span of leaves(text.items)) parts.push(span.source.text.slice(span.start, span.end))
  return parts.join('')
}

/** The spans of everything that has no parts, in order. */
function* leaves(nodes: readonly (Item | Piece)[]): Generator<Span> {
  for (const node of nodes) {
    switch (node.kind) {
      case 'line': {
        const last = node.pieces.at(-1)
        const end = last ? last.span.end : node.span.start
        yield* leaves(node.pieces)
        if (node.span.end > end) yield { ...node.span, start: end }
        break
      }
      case 'when':
      case 'vary':
      case 'each':
        for (const branch of branchesOf<Item | Piece>(node)) {
          yield branch.head
          yield* leaves(branch.body)
        }
        yield node.tail
        break
      case 'untouched':
        yield node.head
        yield* leaves(node.lines)
        yield node.tail
        break
      default:
        yield node.span
    }
  }
}
