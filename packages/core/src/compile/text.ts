// Items, lines and pieces compile each other (a line holds blocks, a block holds lines), so the three stand in one file.
import { defined } from '../invariant.js'
import { eachOp, unlessNothing, varyOp, whenOp, withoutLastLineEnd } from './blocks.js'
import { compileCondition } from './condition.js'
import { textOrigin, drawsOnMore, type Context } from './context.js'
import { indentedOp } from './indent.js'
import { continuationOf, LineState } from './line.js'
import { openLoop } from './loop.js'
import { OpList } from './op-list.js'
import { compileSlot } from './slot.js'
import { compileUse } from './use.js'
import { problem } from '../problems/problem.js'
import type { Op, Run, Test } from '../render/run.js'
import { branchesOf } from '../text/branches.js'
import { OPEN_END } from '../fences/suspicion.js'
import { described } from '../render/shape.js'
import type { TextOrigin } from '../render/trace.js'
import type { Branch, Each, Fixed, Item, Line, LineDirective, Passage, Piece, Text, Use } from '../text/nodes.js'

/** Blocks within blocks, across snippets: beyond this the stack itself would be in danger. */
const MOST_BLOCKS = 500

/** A whole text. Open: its last line end is left out, as where the text goes on a line of another. */
export function compileText(text: Text, context: Context, open: boolean): Op {
  const ops = new OpList()
  compileItems(text.items, context, 0, open, ops)
  return ops.done()
}

// ---------------------------------------------------------------------- items

/** `dedent`: how many leading spaces the enclosing blocks take from every line (language §5.2). */
function compileItems(items: readonly Item[], context: Context, dedent: number, open: boolean, ops: OpList): void {
  if (open && items.length > 0 && !endsFirmly(items)) {
    const inner = new OpList()
    compileItems(items, context, dedent, false, inner)
    ops.op(withoutLastLineEnd(inner.done()))
    return
  }
  let i = 0
  let written = false
  while (i < items.length) {
    const item = defined(items[i])
    if (!written) compileItem(item, context, dedent, open && i === items.length - 1, ops)
    const end = isBlank(item) ? runEnd(items, i) : i
    written = end > i
    if (written) {
      // §5.4: between two empty lines there are only items that may write nothing; if they do, the second empty line goes.
      const between = new OpList()
      for (const item of items.slice(i + 1, end)) compileItem(item, context, dedent, false, between)
      const blank = new OpList()
      compileItem(defined(items[end]), context, dedent, false, blank)
      ops.op(unlessNothing(between.done(), blank.done()))
    }
    i = written ? end : i + 1
  }
}

function isBlank(item: Item): boolean {
  return item.kind === 'line' && item.blank
}

/** From an empty line over items that may all vanish to the next empty line; the same index if there is no such run. */
function runEnd(items: readonly Item[], blank: number): number {
  let i = blank + 1
  while (i < items.length && !isBlank(defined(items[i])) && canVanish(defined(items[i]))) i++
  return i > blank + 1 && i < items.length && isBlank(defined(items[i])) ? i : blank
}

/** Whether the last item is always written, so that its line end can be left out while compiling. */
function endsFirmly(items: readonly Item[]): boolean {
  const last = defined(items.at(-1))
  if (canVanish(last)) return false
  if (!isBlank(last)) return true
  let i = items.length - 2
  while (i >= 0 && !isBlank(defined(items[i])) && canVanish(defined(items[i]))) i--
  return i === items.length - 2 || i < 0 || !isBlank(defined(items[i]))
}

/** A line of slots, directives and spaces alone, or a directive (language §5.1). */
function canVanish(item: Item): boolean {
  if (item.kind !== 'line') return true
  return isRagged(item) || (item.pieces.some((p) => p.kind !== 'fixed') && !item.pieces.some(isFirm))
}

function isFirm(piece: Piece): boolean {
  return piece.kind === 'passage' || (piece.kind === 'fixed' && piece.text.trim() !== '')
}

/** Whether an inline block on the line goes on over line ends, or holds directive lines. */
function isRagged(line: Line): boolean {
  return line.pieces.some(goesOn)
}

function goesOn(piece: Piece): boolean {
  switch (piece.kind) {
    case 'break':
    case 'untouched':
      return true
    case 'when':
    case 'vary':
    case 'each':
      return piece.form === 'line' || branchesOf<Item | Piece>(piece).some((branch) => branch.body.some((item) => goesOn(item as Piece)))
    case 'use':
    case 'aside':
      return piece.form === 'line'
    default:
      return piece.kind === 'broken-line'
  }
}

function compileItem(item: Item, context: Context, dedent: number, open: boolean, ops: OpList): void {
  if (item.kind === 'line') compileLine(item, context, dedent, open, ops)
  else compileDirectiveLine(item, context, dedent, ops)
}

function compileDirectiveLine(item: LineDirective, context: Context, dedent: number, ops: OpList): void {
  const inner = dedent + bodyDedent(item)
  const body = (items: readonly Item[], within: Context, open = false): Op => {
    const list = new OpList()
    compileItems(items, within, inner, open, list)
    return list.done()
  }
  switch (item.kind) {
    case 'when':
      ops.op(compileWhen(item.branches, context, (items, within) => body(items, within)))
      break
    case 'vary':
      ops.op(
        varyOp(
          `${context.place}.${item.number}`,
          item.wordings.map((w) => body(w.body, wording(context, w.head))),
        ),
      )
      break
    case 'each':
      ops.op(compileEach(item, context, (items, within) => body(items, within, item.joined !== undefined), '\n'))
      break
    case 'untouched':
      for (const line of item.lines) compileLine(line, context, dedent, false, ops)
      break
    case 'use': {
      const written = compileUse(item, context, compileText, false)
      const lead = item.indent.slice(Math.min(dedent, item.indent.length))
      if (written)
        ops.op(lead === '' ? written : indentedOp(written, { lead, blank: '' }, textOrigin(context, item.head, { kind: 'made' }), true))
      break
    }
    default: // asides and what could not be read write nothing
  }
}

/** How many leading spaces a block's lines share beyond their directive's own indentation (language §5.2). */
function bodyDedent(item: LineDirective): number {
  if (item.kind !== 'when' && item.kind !== 'vary' && item.kind !== 'each') return 0
  const branches = branchesOf<Item>(item)
  const { source } = item.span
  let least = Infinity
  branches.forEach((branch, i) => {
    const text = source.text.slice(branch.head.end, branches[i + 1]?.head.start ?? item.tail.start)
    for (const line of text.split(/\r\n|\r|\n/)) {
      const content = line.trimStart()
      if (content !== '') least = Math.min(least, line.length - content.length)
    }
  })
  return least === Infinity ? 0 : Math.max(0, least - item.indent.length)
}

// ---------------------------------------------------------------------- lines

interface PieceState {
  readonly line: LineState
  readonly dedent: number
  /** Whether fixed spaces are counted, so that a line of nothing else can go. */
  readonly counts: boolean
  /** Whether the source line has only begun: leading spaces are still to be removed. */
  atStart: boolean
  /** Where the line's last fixed text came from, if nothing stands behind it: the line end belongs to it. */
  last: TextOrigin | undefined
}

function compileLine(line: Line, context: Context, dedent: number, open: boolean, ops: OpList): void {
  const tracked = canVanish(line)
  const list = tracked ? new OpList() : ops
  const state: PieceState = { line: new LineState(), dedent, counts: tracked, atStart: true, last: undefined }
  compilePieces(line.pieces, context, state, true, list)
  const ending = state.last ?? textOrigin(context, line.span.source.span(Math.max(line.span.start, line.span.end - 1), line.span.end))
  if (tracked) ops.op(trackedLine(list.done(), state.line.isHeld, (run) => run.write('\n', ending)))
  else if (!open) ops.fixed('\n', ending)
}

/** A line that may be empty: then it is removed, spaces included. */
function trackedLine(pieces: Op, isHeld: boolean, lineEnd: Op): Op {
  const step = (run: Run) => {
    const { lineStart, blanks } = run
    run.lineStart = run.out
    run.blanks = 0
    pieces(run)
    endLine(run, isHeld, lineEnd)
    run.lineStart = lineStart
    run.blanks = blanks
  }
  return described(step, { kind: 'line', pieces, canGo: isHeld })
}

function endLine(run: Run, isHeld: boolean, lineEnd: Op): void {
  if (isHeld && run.out.length - run.lineStart.length === run.blanks) run.back(run.lineStart)
  else lineEnd(run)
}

/** `alone`: whether only spaces follow these pieces on the source line. */
function compilePieces(pieces: readonly Piece[], context: Context, state: PieceState, alone: boolean, ops: OpList): void {
  pieces.forEach((piece, i) => {
    const restAlone = () => restIsBlank(pieces, i + 1, alone)
    compilePiece(piece, context, state, restAlone, ops)
  })
}

function restIsBlank(pieces: readonly Piece[], from: number, beyond: boolean): boolean {
  for (let i = from; i < pieces.length; i++) {
    const piece = defined(pieces[i])
    if (piece.kind === 'break') return true
    if (piece.kind === 'aside' || (piece.kind === 'fixed' && piece.text.trim() === '')) continue
    return false
  }
  return beyond
}

function compilePiece(piece: Piece, context: Context, state: PieceState, restAlone: () => boolean, ops: OpList): void {
  const { line } = state
  state.last = undefined
  switch (piece.kind) {
    case 'fixed':
      compileFixed(piece, context, state, ops)
      return
    case 'slot': {
      const op = compileSlot(piece, context, line, restAlone())
      if (op) ops.op(op)
      break
    }
    case 'passage':
      compilePassage(piece, context, state, ops)
      break
    case 'break': {
      const ending = textOrigin(context, piece.span)
      const { isHeld: held } = line
      ops.op(
        described(
          (run: Run) => {
            endLine(run, held, () => run.write('\n', ending))
            run.lineStart = run.out
            run.blanks = 0
          },
          { kind: 'break', canGo: held },
        ),
      )
      line.lineEnd()
      state.atStart = true
      return
    }
    case 'aside':
    case 'broken':
    case 'broken-line':
      line.isHeld = true
      state.atStart = false
      return
    case 'use':
      if (piece.form === 'inline') compileInlineUse(piece, context, line, restAlone(), ops)
      else compileWithin(piece, context, state, ops)
      break
    case 'untouched':
      compileWithin(piece, context, state, ops)
      break
    case 'when':
    case 'vary':
    case 'each':
      if (piece.form === 'line') compileWithin(piece as LineDirective, context, state, ops)
      else compileInlineBlock(piece, context, state, restAlone(), ops)
      break
  }
  state.atStart = false
  line.written()
}

/** A directive line among the lines of an inline block: whole lines, after which a new one begins. */
function compileWithin(piece: LineDirective, context: Context, state: PieceState, ops: OpList): void {
  compileDirectiveLine(piece, context, state.dedent, ops)
  ops.op(
    described(
      (run: Run) => {
        run.lineStart = run.out
        run.blanks = 0
      },
      { kind: 'line-start' },
    ),
  )
  state.line.lineEnd()
}

function compileFixed(piece: Fixed, context: Context, state: PieceState, ops: OpList): void {
  let { text } = piece
  if (piece.escaped !== undefined) {
    const binding = context.scope.find(piece.escaped)
    if (binding) context.shared.report(problem('escape-of-variable', { name: piece.escaped }, piece.span))
  }
  if (state.atStart && text !== '') {
    const blanks = defined(/^[ \t]*/.exec(text))[0].length
    text = text.slice(Math.min(blanks, state.dedent))
    state.atStart = false
  }
  state.line.fixed(text)
  if (OPEN_END.test(text)) context.shared.openEnd = true
  const from = textOrigin(context, piece.span)
  state.last = from
  if (!state.counts || text.trim() !== '') ops.fixed(text, from)
  else if (text !== '')
    ops.op(
      described(
        (run: Run) => {
          run.write(text, from)
          run.blanks += text.length
        },
        { kind: 'blanks', text },
      ),
    )
}

/** A passage is written as it stands in its source, its slots filled, and its place is marked. */
function compilePassage({ name, type, pieces }: Passage, context: Context, state: PieceState, ops: OpList): void {
  const list = new OpList()
  compilePieces(pieces, context, state, false, list)
  const op = list.done()
  ops.op((run) => {
    const start = run.out.length
    op(run)
    run.passages?.push({ name, type, start, end: run.out.length })
  })
}

function compileInlineUse(piece: Use, context: Context, line: LineState, alone: boolean, ops: OpList): void {
  const beside = context.beside === true || !alone || line.prefix === undefined || line.repeated
  const written = compileUse(piece, beside ? { ...context, beside } : context, compileText, true)
  const more = continuationOf(line.prefix ?? '')
  if (!written) return
  const op = more ? indentedOp(written, more, textOrigin(context, piece.head, { kind: 'made' }), false) : written
  // The used text has lines of its own: the line under way is not theirs to take back.
  ops.op(
    described(
      (run: Run) => {
        const { lineStart, blanks } = run
        op(run)
        run.lineStart = lineStart
        run.blanks = blanks
      },
      { kind: 'own-lines', step: op },
    ),
  )
}

type InlineBlock = Extract<Piece, { kind: 'when' | 'vary' | 'each' }>

function compileInlineBlock(block: InlineBlock, context: Context, state: PieceState, alone: boolean, ops: OpList): void {
  const { line } = state
  const { prefix } = line
  const body = (pieces: readonly Piece[], within: Context): Op => {
    line.prefix = prefix
    line.isHeld = true
    const list = new OpList()
    compilePieces(pieces, within, state, alone, list)
    return list.done()
  }
  switch (block.kind) {
    case 'when':
      ops.op(compileWhen(block.branches as readonly Branch<Piece>[], context, body))
      break
    case 'vary':
      ops.op(
        varyOp(
          `${context.place}.${block.number}`,
          (block.wordings as readonly Branch<Piece>[]).map((w) => body(w.body, wording(context, w.head))),
        ),
      )
      break
    case 'each': {
      const { repeated } = line
      line.repeated = true
      ops.op(compileEach(block as Each<Piece>, context, body, ''))
      line.repeated = repeated
      break
    }
  }
}

// ---------------------------------------------------------------------- blocks of either form

/** One wording, by the rendering's seed: never the same for all. */
function wording(context: Context, head: Branch<unknown>['head']): Context {
  drawsOnMore(context.shared)
  return deeper(context, head)
}

/** One block further in; too deep is reported once and compiled no further. */
function deeper(context: Context, span: Branch<unknown>['head']): Context {
  if (context.blocks === MOST_BLOCKS) context.shared.report(problem('nesting-too-deep', { limit: MOST_BLOCKS }, span))
  return { ...context, blocks: context.blocks + 1 }
}

type CompileBody<B> = (body: readonly B[], within: Context) => Op

function compileWhen<B>(branches: readonly Branch<B>[], context: Context, body: CompileBody<B>): Op {
  const compiled: { test: Test | undefined; body: Op }[] = []
  for (const branch of branches) {
    const within = deeper(context, branch.head)
    const test = branch.condition && compileCondition(branch.condition, context)
    if (within.blocks <= MOST_BLOCKS) compiled.push({ test, body: body(branch.body, within) })
  }
  return whenOp(compiled)
}

function compileEach<B>(each: Each<B>, context: Context, body: CompileBody<B>, lineEnd: string): Op {
  const opened = openLoop(each, context)
  const within = deeper(opened.within, each.head)
  const otherwise = each.otherwise && body(each.otherwise.body, deeper(context, each.otherwise.head))
  if (within.blocks > MOST_BLOCKS) return () => undefined
  return eachOp({
    loop: opened.loop,
    body: body(each.body, within),
    otherwise,
    joined: each.joined === undefined ? undefined : each.joined + lineEnd,
    lineEnd: each.joined === undefined ? '' : lineEnd,
    from: textOrigin(context, each.head, { kind: 'made' }),
  })
}
