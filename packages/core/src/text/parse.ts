// One machine reads both forms: a stack of open blocks, each of which collects items (line form) or pieces (inline form). It is longer than
// other files because its steps share that stack; the arguments of directives are read in `directives/`.
import { defined } from '../invariant.js'
import { braceHint, Cursor, Unreadable } from './cursor.js'
import { DIRECTIVE_WORDS, INNER_WORDS } from './directives/index.js'
import type { DirectiveSyntax } from './directives/directive.js'
import { foreignDirective, isForeignInBraces, type ForeignWord, type OnForeign } from './foreign.js'
import { reportInvisible } from './invisible.js'
import type { Branch, Condition, Form, Item, Line, LineDirective, Piece, Text } from './nodes.js'
import { parseCondition, parseSlotValue, type ValueContext } from './values.js'
import { problem, type Report } from '../problems/problem.js'
import type { Source, Span } from '../source/source.js'
import { clip } from '../values/data.js'
import { NAME } from '../values/names.js'

/** Limits of parsing, and allowed characters. */
export interface ParseOptions {
  /** How deep blocks and parentheses may nest. Default: 100. */
  readonly nesting?: number
  /** Invisible characters that this file allows, such as `U+200D`. */
  readonly allow?: ReadonlySet<string>
}

const DIRECTIVE_LINE = /[ \t]*~[ \t]+(?=\p{L})/uy
const ESCAPED_DIRECTIVE = /[ \t]*\\+~[ \t]+\p{L}/uy
const SLOT_START = /[\p{L}_]/uy
const LINE_END = /\r\n|\r|\n/g
const NAME_HERE = new RegExp(NAME, 'uy')

/** What a block has in place of the words of another language. */
const BLOCK_WORDS: Readonly<Record<string, string>> = { when: 'when … otherwise … end', each: 'each … end' }

/** A line of the source: its content, and where the next one begins. */
interface SourceLine {
  readonly start: number
  readonly end: number
  readonly next: number
}

/** The bodies of line form: the items so far and the line under way, which inline blocks may carry over line ends. */
interface LineBody {
  readonly items: Item[]
  line: { readonly start: number; readonly pieces: Piece[] } | undefined
}

interface OpenBranch {
  readonly head: Span
  readonly condition: Condition | undefined
  readonly body: LineBody
  readonly pieces: Piece[]
}

interface OpenBlock {
  readonly syntax: DirectiveSyntax
  readonly content: unknown
  readonly form: Form
  readonly indent: string
  readonly head: Span
  readonly branches: OpenBranch[]
  readonly number: number
}

/**
 * Parses a text of the language. It never throws: errors are reported and parsing continues after them.
 *
 * @param source - The text.
 * @param report - Called for each problem.
 * @param options - Limits, and the invisible characters that are allowed.
 * @returns The tree. `printText` returns the same bytes.
 * @example
 * parseText(new Source('note', 'Dear {name}'), () => {}).items.length // => 1
 */
export function parseText(source: Source, report: Report, options: ParseOptions = {}): Text {
  reportInvisible(source, options.allow ?? new Set(), report)
  return new TextParser(source, report, options.nesting ?? 100).parse()
}

class TextParser {
  private readonly root: LineBody = { items: [], line: undefined }
  private readonly stack: OpenBlock[] = []
  private varied = 0
  /** Set where nesting went over its limit: the rest of the text is not read. */
  private isLiteral = false
  private readonly context: ValueContext
  private readonly tight: { readonly written: string; readonly meant: string; readonly span: Span }[] = []
  private readonly meantTight = new Set<Span>()
  /** The openers of blocks that began with a word of another language. */
  private readonly foreignBlocks = new Set<Span>()
  private readonly foreign: OnForeign = (written, meant, span) => this.report(problem('foreign-word', { written, meant }, span))

  constructor(
    private readonly source: Source,
    private readonly report: Report,
    private readonly nesting: number,
  ) {
    this.context = {
      nestingLimit: nesting,
      reserved: (name, span) => report(problem('name-reserved', { name }, span)),
      tooDeep: (span) => report(problem('nesting-too-deep', { limit: nesting }, span)),
      foreign: this.foreign,
    }
  }

  parse(): Text {
    const { text } = this.source
    for (const line of sourceLines(text)) {
      const open = this.top()
      if (this.isLiteral) this.rest(line)
      else if (open?.syntax.word === 'untouched') this.untouchedLine(open, line)
      else {
        const lead = firstSign(text, line)
        DIRECTIVE_LINE.lastIndex = line.start
        if (lead === '~' && DIRECTIVE_LINE.test(text)) this.directiveLine(line, DIRECTIVE_LINE.lastIndex)
        else {
          if (lead === '~') this.noteTight(line)
          this.textLine(line)
        }
      }
    }
    for (let open = this.top(); open; open = this.top()) {
      if (!this.isLiteral)
        this.report(
          problem(
            'end-missing',
            { opener: clip(open.head.source.text.slice(open.head.start, open.head.end).trim()), form: open.form },
            open.head,
          ),
        )
      this.close(this.source.span(text.length, text.length))
    }
    for (const { span, written, meant } of this.tight)
      if (!this.meantTight.has(span)) this.report(problem('directive-tight', { written, meant }, span))
    this.finishLine(text.length, false)
    return { source: this.source, items: this.root.items }
  }

  private top(): OpenBlock | undefined {
    return this.stack.at(-1)
  }

  /** The body that lines and directive lines go to, unless an inline block is open. */
  private get body(): LineBody {
    for (let i = this.stack.length - 1; i >= 0; i--) {
      const open = defined(this.stack[i])
      if (open.form === 'line') return defined(open.branches.at(-1)).body
    }
    return this.root
  }

  /** Where inline pieces go: the innermost inline block, else the line under way. */
  private get pieces(): Piece[] {
    const top = this.top()
    return top?.form === 'inline' ? defined(top.branches.at(-1)).pieces : defined(this.body.line).pieces
  }

  private add(node: LineDirective): void {
    const top = this.top()
    if (top?.form === 'inline') defined(top.branches.at(-1)).pieces.push(node)
    else this.body.items.push(node)
  }

  // ------------------------------------------------------------------ lines

  /** line = { fixed | slot | inline-directive } line-end */
  private textLine(line: SourceLine): void {
    this.body.line ??= { start: line.start, pieces: [] }
    let offset = line.start
    ESCAPED_DIRECTIVE.lastIndex = offset
    if (firstSign(this.source.text, line) === '\\' && ESCAPED_DIRECTIVE.test(this.source.text)) {
      const slash = this.source.text.indexOf('\\', offset)
      if (slash > offset)
        this.pieces.push({ kind: 'fixed', text: this.source.text.slice(offset, slash), span: this.source.span(offset, slash) })
      // The backslash is source, but no text: an empty fixed piece keeps it for printing.
      this.pieces.push({ kind: 'fixed', text: '', span: this.source.span(slash, slash + 1) })
      offset = slash + 1
    }
    this.inline(offset, line.end)
    this.endLine(line)
  }

  private endLine(line: SourceLine): void {
    if (this.top()?.form === 'inline') {
      if (line.next > line.end) this.pieces.push({ kind: 'break', span: this.source.span(line.end, line.next) })
      return
    }
    this.finishLine(line.next, line.next > line.end)
  }

  private finishLine(next: number, ended: boolean): void {
    const { body } = this
    if (!body.line) return
    const { start, pieces } = body.line
    body.line = undefined
    body.items.push(lineOf(this.source, start, next, pieces, ended))
  }

  /** The text after the place where nesting went too deep. */
  private rest(line: SourceLine): void {
    const { body } = this
    const broken: Piece = { kind: 'broken', span: this.source.span(line.start, line.end) }
    body.line ??= { start: line.start, pieces: [] }
    this.pieces.push(broken)
    this.endLine(line)
  }

  private untouchedLine(open: OpenBlock, line: SourceLine): void {
    const { text } = this.source
    const content = text.slice(line.start, line.end)
    const tail = /^([ \t]*)~[ \t]+end(?:[ \t]+untouched)?[ \t]*$/.exec(content)
    if (tail?.[1] === open.indent) {
      this.close(this.source.span(line.start, line.next))
      return
    }
    const pieces: Piece[] = content === '' ? [] : [{ kind: 'fixed', text: content, span: this.source.span(line.start, line.end) }]
    defined(open.branches[0]).body.items.push(lineOf(this.source, line.start, line.next, pieces, line.next > line.end))
  }

  // ------------------------------------------------------------------ directive lines

  private directiveLine(line: SourceLine, index: number): void {
    const span = this.source.span(line.start, line.next)
    const indent = defined(/^[ \t]*/.exec(this.source.text.slice(line.start, line.end)))[0]
    const cursor = new Cursor(this.source, index, line.end)
    const word = cursor.takeName() ?? ''
    const foreign = foreignDirective(word, cursor)
    if (foreign) this.foreignDirective(foreign, this.source.span(index, cursor.position), cursor, 'line', span, indent)
    else if (INNER_WORDS.has(word)) this.inner(word, cursor, 'line', span)
    else if (DIRECTIVE_WORDS.has(word)) this.opener(word, cursor, 'line', span, indent)
    else {
      const known = [...DIRECTIVE_WORDS.keys(), ...INNER_WORDS]
      this.report(problem('directive-unknown', { name: word, known }, this.source.span(index, cursor.position)))
      this.add({ kind: 'broken-line', form: 'line', head: span, span, indent })
    }
  }

  /** `~when x` is text; it may be meant as a directive, without the space behind its ~. */
  private noteTight(line: SourceLine): void {
    const { text } = this.source
    const start = text.indexOf('~', line.start)
    const word = new Cursor(this.source, start + 1, line.end).peekName() ?? ''
    const end = start + 1 + word.length
    if (DIRECTIVE_WORDS.has(word) && text.startsWith(word, start + 1) && /^[ \t]/.test(text.slice(end, line.end)))
      this.tight.push({ written: `~${word}`, meant: `~ ${word}`, span: this.source.span(start, end) })
  }

  /** Whether an `otherwise` or `end` without a block is that of a directive without its space, which is then the one problem. */
  private isOfTight(): boolean {
    const tight = this.tight.find(({ span }) => !this.meantTight.has(span))
    if (tight) {
      this.meantTight.add(tight.span)
      this.foreign(tight.written, tight.meant, tight.span)
    }
    return this.meantTight.size > 0
  }

  /** A directive by a word of another language: it is reported, and taken as meant. */
  private foreignDirective(
    { word, isConditional, written, meant }: ForeignWord,
    place: Span,
    cursor: Cursor,
    form: Form,
    span: Span,
    indent: string,
  ): void {
    const open = this.top()
    // The words of one block are one slip.
    const isOfForeign = INNER_WORDS.has(word) && open !== undefined && this.foreignBlocks.has(open.head)
    if (!isOfForeign) this.foreign(written, BLOCK_WORDS[word] ?? meant, place)
    if (DIRECTIVE_WORDS.get(word)?.branches) this.foreignBlocks.add(span)
    if (INNER_WORDS.has(word)) this.inner(word, cursor, form, span, isConditional)
    else this.opener(word, cursor, form, span, indent)
  }

  /** A directive's opener, or a whole directive of one line. */
  private opener(word: string, cursor: Cursor, form: Form, head: Span, indent: string): void {
    const syntax = defined(DIRECTIVE_WORDS.get(word))
    const stated = this.attempt(word, cursor, form, () => {
      const result = syntax.head(cursor, this.context)
      if (!cursor.done) cursor.fail(form === 'line' ? 'the end of the line' : '"}"')
      return { result }
    })
    if (!syntax.branches) {
      const span = head
      if (stated) this.put(syntax.build(stated.result, { form, indent, head, span, tail: span, branches: [] }, 0), form)
      else this.broken(head, form, indent)
      return
    }
    if (this.stack.length >= this.nesting) {
      this.report(problem('nesting-too-deep', { limit: this.nesting }, head))
      this.isLiteral = true
      this.broken(head, form, indent)
      return
    }
    if (syntax.word === 'vary') this.varied++
    const branch: OpenBranch = { head, condition: undefined, body: { items: [], line: undefined }, pieces: [] }
    this.stack.push({ syntax, content: stated?.result, form, indent, head, branches: [branch], number: this.varied })
  }

  /** otherwise, instead, end */
  private inner(word: string, cursor: Cursor, form: Form, span: Span, isConditional = false): void {
    const innermost = this.top()
    if (form === 'line' && innermost?.form === 'inline') {
      this.report(problem('forms-mixed', this.openSays(word, innermost), span, opened(innermost)))
      while (this.top()?.form === 'inline') this.close(this.source.span(span.start, span.start))
      this.finishLine(span.start, true)
      if (word === 'end' && !this.top()) {
        this.broken(span, form, '')
        return
      }
    }
    const top = this.top()
    if (!top) {
      if (!this.isOfTight()) this.report(word === 'end' ? problem('end-stray', {}, span) : problem('branch-stray', { word }, span))
      this.broken(span, form, '')
      return
    }
    if (top.form !== form) {
      this.report(problem('forms-mixed', this.openSays(word, top), span, opened(top)))
      this.broken(span, form, '')
      return
    }
    if (word === 'end') this.end(top, cursor, span)
    else this.branch(top, word, cursor, span, isConditional)
  }

  private end(top: OpenBlock, cursor: Cursor, span: Span): void {
    const start = cursor.position
    const word = cursor.takeName()
    const foreign = word === undefined ? undefined : foreignDirective(word, cursor)
    if (foreign?.word === top.syntax.word) this.foreign(`end ${foreign.written}`, 'end', cursor.span(start))
    else if (word !== undefined && word !== top.syntax.word)
      this.report(
        problem('end-wrong', { detail: word, open: top.syntax.word, line: top.head.source.place(top.head.start).line }, span, opened(top)),
      )
    else if (!cursor.done)
      this.report(
        problem(
          'directive-unreadable',
          { directive: 'end', expected: 'nothing more', after: `end${word === undefined ? '' : ` ${word}`}` },
          span,
        ),
      )
    this.close(span)
  }

  private branch(top: OpenBlock, word: string, cursor: Cursor, head: Span, isConditional: boolean): void {
    if (!top.syntax.branches?.includes(word)) {
      this.report(problem('branch-stray', { word }, head, opened(top)))
      this.broken(head, top.form, '')
      return
    }
    const last = defined(top.branches.at(-1))
    if (word === 'otherwise' && top.branches.length > 1 && last.condition === undefined) {
      this.report(problem('branch-after-last', {}, head))
      this.broken(head, top.form, '')
      return
    }
    const condition = this.attempt(word, cursor, top.form, () => {
      const condition =
        word === 'otherwise' && top.syntax.word === 'when' && (isConditional || cursor.takeWord('when'))
          ? parseCondition(cursor, this.context)
          : undefined
      if (!cursor.done)
        cursor.fail(condition || word === 'instead' ? (top.form === 'line' ? 'the end of the line' : '"}"') : '"when" or nothing')
      return condition
    })
    top.branches.push({ head, condition, body: { items: [], line: undefined }, pieces: [] })
  }

  /** Takes the innermost block off the stack and puts its node where it belongs. */
  private close(tail: Span): void {
    const open = defined(this.top())
    if (open.form === 'line') this.finishLine(tail.start, true)
    this.stack.pop()
    const span = this.source.span(open.head.start, tail.end)
    const closed = { form: open.form, indent: open.indent, head: open.head, span, tail }
    if (open.content === undefined && open.syntax.word !== 'vary' && open.syntax.word !== 'untouched') {
      this.broken(span, open.form, open.indent)
      return
    }
    const branchesOf = <B>(body: (branch: OpenBranch) => readonly B[]): Branch<B>[] =>
      open.branches.map((b) => ({ head: b.head, condition: b.condition, body: body(b) }))
    const node =
      open.form === 'line'
        ? open.syntax.build(open.content, { ...closed, branches: branchesOf<Item>((b) => b.body.items) }, open.number)
        : open.syntax.build(open.content, { ...closed, branches: branchesOf<Piece>((b) => b.pieces) }, open.number)
    this.put(node, open.form)
  }

  private put(node: unknown, form: Form): void {
    if (form === 'line') this.add(node as LineDirective)
    else this.pieces.push(node as Piece)
  }

  private broken(span: Span, form: Form, indent: string): void {
    if (form === 'line') this.add({ kind: 'broken-line', form, head: span, span, indent })
    else this.pieces.push({ kind: 'broken', span })
  }

  /** Reads a head; what cannot be read is reported with what was expected and after which words. */
  private attempt<T>(word: string, cursor: Cursor, form: Form, read: () => T): T | undefined {
    const start = cursor.position - word.length
    try {
      return read()
    } catch (fault) {
      if (!(fault instanceof Unreadable)) throw fault
      const after = clip(this.source.text.slice(start, fault.position).trim())
      const position = Math.min(fault.position, cursor.end)
      this.report(
        problem(
          'directive-unreadable',
          { directive: word, expected: fault.expected, after },
          this.source.span(position, Math.min(position + 1, cursor.end + (form === 'line' ? 0 : 1))),
        ),
      )
      return undefined
    }
  }

  private openSays(word: string, open: OpenBlock) {
    return { word, open: open.syntax.word, line: open.head.source.place(open.head.start).line }
  }

  // ------------------------------------------------------------------ within a line

  /** Fixed text, slots and inline directives up to the line's end. */
  private inline(from: number, end: number): void {
    const { text } = this.source
    let fixedFrom = from
    let position = text.indexOf('{', from)
    while (position >= 0 && position < end && !this.isLiteral) {
      SLOT_START.lastIndex = position + 1
      if (position + 1 >= end || !SLOT_START.test(text)) {
        position = text.indexOf('{', position + 1)
        continue
      }
      let slashes = 0
      while (position - slashes > fixedFrom && text[position - slashes - 1] === '\\') slashes++
      this.fixed(fixedFrom, position - slashes)
      if (slashes % 2 === 1) {
        this.pieces.push({
          kind: 'fixed',
          text: `${'\\'.repeat(slashes >> 1)}{`,
          escaped: this.nameAt(position + 1),
          span: this.source.span(position - slashes, position + 1),
        })
        fixedFrom = position + 1
      } else {
        if (slashes > 0)
          this.pieces.push({ kind: 'fixed', text: '\\'.repeat(slashes >> 1), span: this.source.span(position - slashes, position) })
        fixedFrom = this.braces(position, end)
      }
      position = text.indexOf('{', fixedFrom)
    }
    if (this.isLiteral) this.pieces.push({ kind: 'broken', span: this.source.span(fixedFrom, end) })
    else this.fixed(fixedFrom, end)
  }

  private fixed(start: number, end: number): void {
    if (end > start) this.pieces.push({ kind: 'fixed', text: this.source.text.slice(start, end), span: this.source.span(start, end) })
  }

  private nameAt(position: number): string {
    NAME_HERE.lastIndex = position
    return NAME_HERE.exec(this.source.text)?.[0].normalize('NFC') ?? ''
  }

  /** What an opening brace at `at` begins; gives where reading goes on. */
  private braces(position: number, end: number): number {
    const cursor = new Cursor(this.source, position + 1, end)
    const word = cursor.peekName() ?? ''
    const isDirective = DIRECTIVE_WORDS.has(word) || INNER_WORDS.has(word) || isForeignInBraces(word, cursor)
    return isDirective ? this.inlineDirective(position, end, word) : this.slot(position, cursor)
  }

  /** slot = "{" slot-value "}" with at least one path */
  private slot(position: number, cursor: Cursor): number {
    let argument: { format: string; word: string } | undefined
    let joined: string | undefined
    try {
      const value = parseSlotValue(cursor, this.context)
      if (value.paths.length === 0) throw new Unreadable('a name', position + 1)
      const [format, word] = [value.formats.at(-1)?.name, cursor.peekName()]
      if (format !== undefined && word !== undefined) argument = { format, word }
      if (value.formats.length === 0 && !value.fallback && word !== undefined)
        joined = `${this.source.text.slice(position + 1, cursor.position).trim()}-${word}`
      if (!cursor.take('}')) cursor.fail(value.fallback || value.formats.length > 0 ? '"}" or "as"' : '"}", "as" or "or"')
      this.pieces.push({ kind: 'slot', value, span: this.source.span(position, cursor.position) })
      return cursor.position
    } catch (fault) {
      if (!(fault instanceof Unreadable)) throw fault
      const close = this.closeFrom(fault.position)
      const stop = close >= 0 && close < cursor.end ? close + 1 : Math.max(position + 1, Math.min(fault.position, cursor.end))
      const after = clip(this.source.text.slice(position + 1, fault.position).trim())
      this.report(
        problem(
          'slot-unreadable',
          { expected: fault.expected, after: after || '{', brace: braceHint(this.source, position), argument, joined },
          this.source.span(position, stop),
        ),
      )
      this.pieces.push({ kind: 'broken', span: this.source.span(position, stop) })
      return stop
    }
  }

  /** The next closing brace, remembered: without one, every unreadable slot would look through the rest of the text. */
  private closeFrom(from: number): number {
    const { closing } = this
    if (from < closing.from || (closing.at >= 0 && closing.at < from)) this.closing = { from, at: this.source.text.indexOf('}', from) }
    return this.closing.at
  }

  private closing = { from: Infinity, at: -1 }

  private inlineDirective(position: number, end: number, word: string): number {
    const close = word === 'aside' ? this.source.text.indexOf('}', position) : closingBrace(this.source.text, position + 1, end)
    if (close < 0 || close >= end) {
      this.report(
        problem(
          'directive-unreadable',
          { directive: word, expected: '"}"', after: clip(this.source.text.slice(position + 1, end).trim()) },
          this.source.span(position, end),
        ),
      )
      this.pieces.push({ kind: 'broken', span: this.source.span(position, end) })
      return end
    }
    const cursor = new Cursor(this.source, position + 1, close)
    cursor.takeName()
    const head = this.source.span(position, close + 1)
    const foreign = foreignDirective(word, cursor)
    if (foreign) this.foreignDirective(foreign, this.source.span(position + 1, cursor.position), cursor, 'inline', head, '')
    else if (word === 'untouched') {
      this.report(problem('line-form-only', { word }, head))
      this.broken(head, 'inline', '')
    } else if (INNER_WORDS.has(word)) this.inner(word, cursor, 'inline', head)
    else this.opener(word, cursor, 'inline', head, '')
    return close + 1
  }
}

/** The brace that ends a directive: strings are passed over, and the braces of a slot in a snippet's name. */
function closingBrace(text: string, from: number, end: number): number {
  let depth = 0
  for (let i = from; i < end; i++) {
    const character = text[i]
    if (character === '"') {
      for (i++; i < end && text[i] !== '"'; i++) if (text[i] === '\\') i++
    } else if (character === '{') depth++
    else if (character === '}' && depth-- === 0) return i
  }
  return -1
}

function opened(open: OpenBlock) {
  return [{ message: `"${open.syntax.word}" is opened here`, span: open.head }]
}

function lineOf(source: Source, start: number, next: number, pieces: readonly Piece[], ended: boolean): Line {
  const first = pieces[0]
  const indent = first?.kind === 'fixed' ? defined(/^[ \t]*/.exec(first.text))[0] : ''
  const blank = pieces.every((p) => p.kind === 'fixed' && p.text.trim() === '')
  return { kind: 'line', pieces, indent, blank, ended, span: source.span(start, next) }
}

/** The first character of a line that is not a space: it decides the kind of most lines. */
function firstSign(text: string, line: SourceLine): string | undefined {
  let position = line.start
  while (position < line.end && (text[position] === ' ' || text[position] === '\t')) position++
  return position < line.end ? text[position] : undefined
}

/** The lines of a text; a text that ends in a line end has no empty line behind it. */
function* sourceLines(text: string): Generator<SourceLine> {
  let start = text.startsWith('\uFEFF') ? 1 : 0
  LINE_END.lastIndex = 0
  for (const match of text.matchAll(LINE_END)) {
    const next = match.index + match[0].length
    yield { start, end: match.index, next }
    start = next
  }
  if (start < text.length) yield { start, end: text.length, next: text.length }
}
