import { defined } from '../invariant.js'
import { nodesIn } from './branches.js'
import { NAME } from '../values/names.js'
import { problem, type Report } from '../problems/problem.js'
import type { Span } from '../source/source.js'
import type { Branch, Fixed, Item, Line, Passage, PassageType, Piece, Text } from './nodes.js'

export const PASSAGE_TYPES = ['text', 'integer', 'number', 'date'] as const

/** "\<" before a letter is a literal character. */
const OPENING = /(\\*)<(?=[\p{L}_])/gu
const NAME_HERE = new RegExp(NAME, 'uy')
const REST = /[ \t]*(:|>|$)/y
const TYPE_WORD = new RegExp(`^[ \\t]*(${PASSAGE_TYPES.join('|')})(?![\\p{L}\\p{M}\\p{Nd}_-])`, 'u')

/**
 * Finds the passages in a parsed text: only its fixed spans are searched, so that no value can add one. What is wrong
 * with them is reported.
 */
export function withPassages(text: Text, report: Report): Text {
  const finder = new Finder(report)
  const items = finder.items(text.items, new Map(), false)
  if (!finder.hasPassage) report(problem('passage-none', {}, text.source.span(0, text.source.text.length)))
  return { ...text, items }
}

/**
 * Lists the passages of a text in order, those inside blocks included.
 *
 * @param text - A parsed text.
 * @returns The passages.
 * @example
 * const library = libraryFrom({ 'outputs/note.yaml': 'kind: document\ntext: "Dear <name: the keeper>,"' })
 * textsIn(library, 'outputs/note.yaml').texts.flatMap(passagesIn).map(({ name }) => name) // => ['name']
 */
export function passagesIn(text: Text): Passage[] {
  return nodesIn(text.items).filter((node) => node.kind === 'passage')
}

/** The names met on the way to a place, and where: branches that exclude each other may each have a passage of one name. */
type Met = Map<string, Span>

class Finder {
  hasPassage = false

  constructor(private readonly report: Report) {}

  items(items: readonly Item[], met: Met, repeated: boolean): Item[] {
    return items.map((item) => (item.kind === 'line' ? this.line(item, met, repeated) : this.block(item, met, repeated)))
  }

  private line(line: Line, met: Met, repeated: boolean): Line {
    const pieces = this.pieces(line.pieces, met, repeated)
    pieces.forEach((piece, i) => {
      const [text, other] = neighbours(pieces, i)
      if (piece.kind === 'passage' && text && other) this.report(problem('passages-touch', { first: text, other }, piece.span))
    })
    return { ...line, pieces }
  }

  private block<N extends Item | Piece>(node: N, met: Met, repeated: boolean): N {
    const inside = (branches: readonly Branch<Item | Piece>[]) => {
      const after: Met = new Map(met)
      const done = branches.map((branch) => {
        const within: Met = new Map(met)
        const body = this.body(branch.body, within, repeated)
        for (const [name, span] of within) after.set(name, span)
        return { ...branch, body }
      })
      for (const [name, span] of after) met.set(name, span)
      return done
    }
    switch (node.kind) {
      case 'when':
        return { ...node, branches: inside(node.branches) }
      case 'vary':
        return { ...node, wordings: inside(node.wordings) }
      case 'each':
        return {
          ...node,
          body: this.body(node.body, met, true),
          otherwise: node.otherwise && { ...node.otherwise, body: this.body(node.otherwise.body, met, true) },
        }
      default:
        return node
    }
  }

  private body(nodes: readonly (Item | Piece)[], met: Met, repeated: boolean): (Item | Piece)[] {
    const [first] = nodes
    return first && isItem(first)
      ? this.items(nodes as readonly Item[], met, repeated)
      : this.pieces(nodes as readonly Piece[], met, repeated)
  }

  private pieces(pieces: readonly Piece[], met: Met, repeated: boolean): Piece[] {
    const done: Piece[] = []
    const rest = [...pieces]
    for (let piece = rest.shift(); piece; piece = rest.shift()) {
      if (piece.kind !== 'fixed') {
        done.push(this.block(piece, met, repeated))
        continue
      }
      OPENING.lastIndex = 0
      const opening = OPENING.exec(piece.text)
      if (!opening) {
        done.push(piece)
        continue
      }
      const slashes = defined(opening[1]).length
      const position = opening.index + slashes
      const before = part(piece, 0, opening.index + (slashes >> 1))
      if (before.text !== '') done.push(before)
      if (slashes % 2 === 1) {
        // The backslash is source, but no text.
        done.push({ kind: 'fixed', text: '<', span: part(piece, position - 1, position + 1).span })
        rest.unshift(part(piece, position + 1))
        continue
      }
      rest.unshift(part(piece, position))
      done.push(this.passage(rest, met, repeated))
    }
    return done
  }

  /** passage = "<" name [ ":" guidance ] ">" */
  private passage(rest: Piece[], met: Met, repeated: boolean): Piece {
    // It is taken off the front of the pieces, the first of which begins with its bracket.
    this.hasPassage = true
    const first = rest[0] as Fixed
    NAME_HERE.lastIndex = 1
    const name = defined(NAME_HERE.exec(first.text))[0]
    REST.lastIndex = 1 + name.length
    const pieces: Piece[] = []
    const broken = (expected: string): Piece => {
      const span = { ...first.span, end: pieces.at(-1)?.span.end ?? first.span.end }
      this.report(problem('passage-unreadable', { name, expected }, span))
      return { kind: 'broken', span }
    }
    if (!REST.test(first.text)) {
      pieces.push(defined(rest.shift()))
      return broken('":" or ">"')
    }
    for (let piece = rest.shift(); piece; piece = rest.shift()) {
      const end = piece.kind === 'fixed' ? piece.text.indexOf('>') : -1
      if (piece.kind === 'fixed' && end >= 0) {
        pieces.push(part(piece, 0, end + 1))
        const behind = part(piece, end + 1)
        if (behind.text !== '') rest.unshift(behind)
        const span = { ...first.span, end: defined(pieces.at(-1)).span.end }
        return this.named(
          { kind: 'passage', name: name.normalize('NFC'), type: typeOf(first.text.slice(1 + name.length)), pieces, span },
          met,
          repeated,
        )
      }
      pieces.push(piece)
      if (piece.kind !== 'fixed' && piece.kind !== 'slot') return broken('fixed text or a slot')
    }
    return broken('">"')
  }

  private named(passage: Passage, met: Met, repeated: boolean): Passage {
    const { name, span } = passage
    const before = met.get(name)
    if (before) this.report(problem('passage-duplicate', { name }, span, [{ message: 'also defined here', span: before }]))
    if (repeated) this.report(problem('passage-in-each', { name }, span))
    met.set(name, span)
    return passage
  }
}

function isItem(node: Item | Piece): node is Item {
  return node.kind === 'line' || ('form' in node && node.form === 'line')
}

/** A part of a fixed piece, with its span: escapes are pieces of their own, so that characters and source agree. */
function part(piece: Fixed, start: number, end = piece.text.length): Fixed {
  return {
    kind: 'fixed',
    text: piece.text.slice(start, end),
    span: { ...piece.span, start: piece.span.start + start, end: end === piece.text.length ? piece.span.end : piece.span.start + end },
  }
}

function typeOf(behindName: string): PassageType {
  const guidance = /^[ \t]*:([^]*)$/.exec(behindName)?.[1] ?? ''
  return (TYPE_WORD.exec(guidance)?.[1] as PassageType | undefined) ?? 'text'
}

/** Two passages that no reader can separate: nothing is between them, or only a space that either of them could contain. */
function neighbours(pieces: readonly Piece[], position: number): [string, string] | [] {
  const piece = defined(pieces[position])
  const between = pieces[position + 1]
  const parted = between?.kind === 'fixed' && between.text.trim() === ''
  const other = parted ? pieces[position + 2] : between
  if (piece.kind !== 'passage' || other?.kind !== 'passage') return []
  const spaceSeparates = parted && (piece.type !== 'text' || other.type !== 'text')
  return spaceSeparates ? [] : [piece.name, other.name]
}
