import { Cursor } from './cursor.js'
import type { Comparison, Condition, FormatCall, Literal, LoopHead, Name, Operand, Path, SlotValue, Step } from './nodes.js'
import { takeForeign, type ForeignMarks, type OnForeign } from './foreign.js'
import { RESERVED } from '../values/names.js'
import type { Span } from '../source/source.js'

/** What the parser of values asks of the text it reads in. */
export interface ValueContext {
  readonly nestingLimit: number
  reserved(name: string, span: Span): void
  tooDeep(span: Span): void
  readonly foreign: OnForeign
}

/** literal = string | number | "true" | "false" */
export function parseLiteral(cursor: Cursor): Literal | undefined {
  cursor.blanks()
  const start = cursor.position
  const string = cursor.takeString()
  if (string === undefined && cursor.peek() === "'") cursor.fail('a text in double quotes')
  if (string !== undefined) return { kind: 'string', value: string, spelled: string, span: cursor.span(start) }
  const number = cursor.takeNumber()
  if (number !== undefined) return { kind: 'number', value: Number(number), spelled: number, span: cursor.span(start) }
  for (const word of ['true', 'false']) {
    if (cursor.takeWord(word)) return { kind: 'boolean', value: word === 'true', spelled: word, span: cursor.span(start) }
  }
  return undefined
}

/** path = name { "." ( name | integer | string ) } */
export function parsePath(cursor: Cursor, context: ValueContext): Path | undefined {
  cursor.blanks()
  const start = cursor.position
  const name = cursor.peekName()
  if (name === undefined || name === 'true' || name === 'false') return undefined
  cursor.takeName()
  if (RESERVED.has(name)) context.reserved(name, cursor.span(start))
  const steps: Step[] = []
  while (cursor.takeClose('.')) {
    const offset = cursor.position
    const character = cursor.source.text[offset]
    if (character === ' ' || character === '\t') cursor.fail('a name, a number or a string')
    const string = cursor.takeString()
    const key = string ?? cursor.takeName() ?? cursor.takeInteger() ?? cursor.fail('a name, a number or a string')
    if (string === undefined && key === '0') context.foreign('.0', '.1: items are counted from 1', cursor.span(offset - 1))
    steps.push({ kind: string !== undefined ? 'string' : /^-?\d/.test(key) ? 'integer' : 'name', key, span: cursor.span(offset) })
  }
  return { name, steps, span: cursor.span(start) }
}

/** format = name { literal } */
export function parseFormats(cursor: Cursor, context: ValueContext): FormatCall[] {
  const formats: FormatCall[] = []
  while (cursor.takeWord('as') || takePipe(cursor, context)) {
    cursor.blanks()
    const start = cursor.position
    const name = cursor.takeName()
    if (name === undefined) cursor.fail('a format')
    const args: Literal[] = []
    for (let literal = parseLiteral(cursor); literal; literal = parseLiteral(cursor)) args.push(literal)
    formats.push({ name, args, span: cursor.span(start) })
  }
  return formats
}

/** `|` before a format, as elsewhere. */
function takePipe(cursor: Cursor, context: ValueContext): boolean {
  if (cursor.peek() !== '|' || cursor.source.text[cursor.position + 1] === '|') return false
  return takeForeign(cursor, PIPE, context.foreign) !== undefined
}

/** slot-value = ( path { "or" path } [ "or" literal ] | literal ) { "as" format } */
export function parseSlotValue(cursor: Cursor, context: ValueContext): SlotValue {
  cursor.blanks()
  const start = cursor.position
  const paths: Path[] = []
  let fallback = parseLiteral(cursor)
  if (!fallback) {
    do {
      const path = parsePath(cursor, context)
      if (path) paths.push(path)
      else fallback = parseLiteral(cursor) ?? cursor.fail(paths.length > 0 ? 'a name or a literal' : 'a name')
    } while (!fallback && cursor.takeWord('or'))
  }
  const formats = parseFormats(cursor, context)
  cursor.blanks()
  const after = cursor.position
  if (formats.length > 0 && cursor.takeWord('or')) {
    fallback ??= parseLiteral(cursor)
    if (!fallback) paths.push(parsePath(cursor, context) ?? cursor.fail('a name or a literal'))
    context.foreign('or', '"or" and what follows it before "as"', cursor.source.span(after, after + 2))
  }
  return { paths, fallback, formats, span: cursor.span(start) }
}

/** A name that a text gives to something: a loop name, a position, a variable of `with`. */
export function parseGivenName(cursor: Cursor, context: ValueContext, what: string): Name {
  cursor.blanks()
  const start = cursor.position
  const name = cursor.takeName() ?? cursor.fail(what)
  const span = cursor.span(start)
  if (RESERVED.has(name)) context.reserved(name, span)
  return { name, span }
}

/** condition = all { "or" all } */
export function parseCondition(cursor: Cursor, context: ValueContext, depth = 0): Condition {
  return parseChain(cursor, context, 'or', () => parseChain(cursor, context, 'and', () => parseTest(cursor, context, depth)))
}

const CHAINS: Readonly<Record<'or' | 'and', ForeignMarks>> = { or: [['||', 'or']], and: [['&&', 'and']] }
const PIPE: ForeignMarks = [['|', 'as']]
const COMPARISONS: ForeignMarks = [
  ['===', 'is'],
  ['==', 'is'],
  ['=', 'is'],
  ['!==', 'is not'],
  ['!=', 'is not'],
  ['<>', 'is not'],
]

/** all = test { "and" test } */
function parseChain(cursor: Cursor, context: ValueContext, word: 'or' | 'and', part: () => Condition): Condition {
  cursor.blanks()
  const start = cursor.position
  const first = part()
  const parts = [first]
  while (cursor.takeWord(word) || takeForeign(cursor, CHAINS[word], context.foreign) !== undefined) parts.push(part())
  return parts.length === 1 ? first : { kind: word, parts, span: cursor.span(start) }
}

/** test = [ "not" ] ( check | "(" condition ")" ) */
function parseTest(cursor: Cursor, context: ValueContext, depth: number): Condition {
  cursor.blanks()
  const start = cursor.position
  if (cursor.takeWord('not')) {
    const part = parseBareTest(cursor, context, depth)
    return { kind: 'not', part, span: cursor.span(start) }
  }
  return parseBareTest(cursor, context, depth)
}

function parseBareTest(cursor: Cursor, context: ValueContext, depth: number): Condition {
  cursor.blanks()
  const start = cursor.position
  if (!cursor.take('(')) return parseCheck(cursor, context)
  if (depth >= context.nestingLimit) {
    context.tooDeep(cursor.span(start))
    return cursor.fail('fewer parentheses')
  }
  const inner = parseCondition(cursor, context, depth + 1)
  if (!cursor.take(')')) cursor.fail('")", "and" or "or"')
  return inner
}

/**
 * check = value | value "is" [ "not" ] ( value | "empty" ) | value ( "<" | "<=" | ">" | ">=" ) value
 *       | value [ "not" ] "in" ( value | "(" literal { "," literal } ")" ) | value "has" value
 */
function parseCheck(cursor: Cursor, context: ValueContext): Condition {
  cursor.blanks()
  const start = cursor.position
  const left = parseOperand(cursor, context)
  const foreign = takeForeign(cursor, COMPARISONS, context.foreign)
  if (foreign !== undefined)
    return {
      kind: 'compare',
      operator: foreign === 'is' ? 'is' : 'is not',
      left,
      right: parseOperand(cursor, context),
      span: cursor.span(start),
    }
  if (cursor.takeWord('is')) {
    const not = cursor.takeWord('not')
    if (cursor.takeWord('empty')) return { kind: 'empty', value: left, not, span: cursor.span(start) }
    const right = parseOperand(cursor, context)
    return { kind: 'compare', operator: not ? 'is not' : 'is', left, right, span: cursor.span(start) }
  }
  const not = cursor.takeWord('not')
  if (cursor.takeWord('in')) {
    if (!cursor.take('(')) {
      const right = parseOperand(cursor, context)
      return { kind: 'compare', operator: not ? 'not in' : 'in', left, right, span: cursor.span(start) }
    }
    const literals: Literal[] = []
    do literals.push(parseLiteral(cursor) ?? cursor.fail('a literal'))
    while (cursor.take(','))
    if (!cursor.take(')')) cursor.fail('"," or ")"')
    return { kind: 'among', left, not, literals, span: cursor.span(start) }
  }
  if (not) cursor.fail('"in"')
  const operator =
    (['<=', '>=', '<', '>'] as const).find((character) => cursor.take(character)) ?? (cursor.takeWord('has') ? 'has' : undefined)
  if (operator === undefined) return { kind: 'present', value: left, span: cursor.span(start) }
  const right = parseOperand(cursor, context)
  return { kind: 'compare', operator: operator satisfies Comparison, left, right, span: cursor.span(start) }
}

/** value = path { "as" format } | literal */
function parseOperand(cursor: Cursor, context: ValueContext): Operand {
  cursor.blanks()
  const start = cursor.position
  const literal = parseLiteral(cursor)
  if (literal) return { kind: 'literal', literal, span: cursor.span(start) }
  const path = parsePath(cursor, context) ?? cursor.fail('a name or a literal')
  const formats = parseFormats(cursor, context)
  return { kind: 'path', path, formats, span: cursor.span(start) }
}

/** loop = name [ "," name ] "in" slot-value [ "keep" condition ] */
export function parseLoopHead(cursor: Cursor, context: ValueContext): LoopHead {
  const name = parseGivenName(cursor, context, 'a name for the items')
  const position = cursor.take(',') ? parseGivenName(cursor, context, 'a name for the position') : undefined
  if (!cursor.takeWord('in')) cursor.fail(position ? '"in"' : '"," or "in"')
  const value = parseSlotValue(cursor, context)
  const keep = cursor.takeWord('keep') ? parseCondition(cursor, context) : undefined
  return { name, position, value, keep }
}
