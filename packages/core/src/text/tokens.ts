import type { Condition, FormatCall, Item, LineDirective, Literal, Operand, Path, Piece, SlotValue, Text } from './nodes.js'
import type { Span } from '../source/source.js'

/** The kind of a span of a text in the language; anything else is literal. */
export type TokenKind = 'brace' | 'directive' | 'variable' | 'format' | 'string' | 'number' | 'snippet' | 'escape' | 'aside' | 'unread'

/** A part of a text that has a meaning in the language. */
export interface Token {
  readonly kind: TokenKind
  readonly span: Span
}

/**
 * Lists the parts of a text that have a meaning in the language, in order and without overlap, for highlighting.
 *
 * @param text - A parsed text.
 * @returns The tokens.
 * @example
 * tokensOf(parseText(new Source('note', 'Dear {name}'), () => {})).length > 0 // => true
 */
export function tokensOf(text: Text): Token[] {
  const tokens: Token[] = []
  const add = (kind: TokenKind, span: Span) => {
    if (span.end > span.start) tokens.push({ kind, span })
  }
  visitAll(text.items, add)
  // A head is laid down whole, then its parts over it: the inner one wins.
  return flatten(tokens)
}

type Add = (kind: TokenKind, span: Span) => void

function visitAll(nodes: readonly (Item | Piece)[], add: Add): void {
  for (const node of nodes) visit(node, add)
}

function visit(node: Item | Piece, add: Add): void {
  switch (node.kind) {
    case 'line':
      visitAll(node.pieces, add)
      break
    case 'fixed':
      if (node.escaped !== undefined || node.text === '') add('escape', node.span)
      break
    case 'slot':
      add('brace', node.span)
      visitValue(node.value, add)
      break
    case 'broken':
    case 'broken-line':
      add('unread', node.span)
      break
    case 'break':
      break
    case 'passage':
      visitAll(node.pieces, add)
      break
    default:
      visitDirective(node, add)
  }
}

function visitDirective(
  node:
    | Exclude<LineDirective, { kind: 'broken-line' }>
    | Exclude<Piece, { kind: 'fixed' | 'slot' | 'passage' | 'broken' | 'break' | 'broken-line' }>,
  add: Add,
): void {
  add(node.kind === 'aside' ? 'aside' : 'directive', node.head)
  switch (node.kind) {
    case 'when':
      for (const [i, branch] of node.branches.entries()) {
        if (i > 0) add('directive', branch.head)
        if (branch.condition) visitCondition(branch.condition, add)
        visitAll(branch.body, add)
      }
      add('directive', node.tail)
      break
    case 'each':
      add('variable', node.name.span)
      if (node.position) add('variable', node.position.span)
      visitValue(node.value, add)
      if (node.keep) visitCondition(node.keep, add)
      visitAll(node.body, add)
      if (node.otherwise) {
        add('directive', node.otherwise.head)
        visitAll(node.otherwise.body, add)
      }
      add('directive', node.tail)
      break
    case 'vary':
      for (const [i, wording] of node.wordings.entries()) {
        if (i > 0) add('directive', wording.head)
        visitAll(wording.body, add)
      }
      add('directive', node.tail)
      break
    case 'untouched':
      add('directive', node.tail)
      break
    case 'use':
      if (node.nameSpan.end <= node.head.end) add('snippet', node.nameSpan)
      for (const binding of node.with) {
        add('variable', binding.name.span)
        visitValue(binding.value, add)
      }
      break
    case 'aside':
  }
}

function visitValue(value: SlotValue, add: Add): void {
  for (const path of value.paths) visitPath(path, add)
  if (value.fallback) visitLiteral(value.fallback, add)
  visitFormats(value.formats, add)
}

function visitPath(path: Path, add: Add): void {
  add('variable', path.span)
}

function visitLiteral(literal: Literal, add: Add): void {
  add(literal.kind === 'string' ? 'string' : 'number', literal.span)
}

function visitFormats(formats: readonly FormatCall[], add: Add): void {
  for (const format of formats) {
    add('format', format.span)
    for (const literal of format.args) visitLiteral(literal, add)
  }
}

function visitOperand(operand: Operand, add: Add): void {
  if (operand.kind === 'literal') visitLiteral(operand.literal, add)
  else {
    visitPath(operand.path, add)
    visitFormats(operand.formats, add)
  }
}

function visitCondition(condition: Condition, add: Add): void {
  switch (condition.kind) {
    case 'or':
    case 'and':
      for (const part of condition.parts) visitCondition(part, add)
      break
    case 'not':
      visitCondition(condition.part, add)
      break
    case 'present':
    case 'empty':
      visitOperand(condition.value, add)
      break
    case 'compare':
      visitOperand(condition.left, add)
      visitOperand(condition.right, add)
      break
    case 'among':
      visitOperand(condition.left, add)
      for (const literal of condition.literals) visitLiteral(literal, add)
  }
}

/** Tokens laid over each other, cut so that each character belongs to the last one laid over it. */
function flatten(tokens: readonly Token[]): Token[] {
  const ordered = [...tokens].sort((a, b) => a.span.start - b.span.start || b.span.end - a.span.end)
  const flat: Token[] = []
  const open: Token[] = []
  let position = 0
  const emit = (end: number) => {
    const top = open.at(-1)
    if (top && end > position) flat.push({ kind: top.kind, span: { ...top.span, start: position, end } })
    position = Math.max(position, end)
  }
  const closeBefore = (place: number) => {
    for (let top = open.at(-1); top && top.span.end <= place; top = open.at(-1)) {
      emit(top.span.end)
      open.pop()
    }
  }
  for (const token of ordered) {
    closeBefore(token.span.start)
    emit(token.span.start)
    position = token.span.start
    open.push(token)
  }
  closeBefore(Infinity)
  return flat
}
