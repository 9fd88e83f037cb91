import type { Context } from './context.js'
import { compileFormats, formattedGet } from './formats.js'
import { literalType } from './value.js'
import { resolvePath } from './path.js'
import { assertNever } from '../invariant.js'
import { problem } from '../problems/problem.js'
import type { Get, Run, Test } from '../render/run.js'
import { describedTest, type TestShape } from '../render/shape.js'
import type { Comparison, Condition, Literal, Operand } from '../text/nodes.js'
import { equal, order, type Sort } from '../values/compare.js'
import { isEmpty, isMissing } from '../values/data.js'
import { instant, isDate, readDateTime } from '../values/dates.js'
import { plainNumber } from '../values/numbers.js'
import { comparable, describe, type ValueType } from '../values/types.js'

/** A side of a comparison. */
interface Side {
  readonly get: Get
  readonly type: ValueType
  readonly literal: Literal | undefined
  readonly description: string
  readonly reads: TestShape['reads']
  /** Whether it is a value as it stands, without formats. */
  readonly isPlain: boolean
}

/** A condition's test, its types checked before anything is rendered; undefined where something was reported. */
export function compileCondition(condition: Condition, context: Context): Test | undefined {
  switch (condition.kind) {
    case 'or':
    case 'and': {
      const tests = condition.parts.map((part) => compileCondition(part, context))
      if (!tests.every((test) => test !== undefined)) return undefined
      const all = condition.kind === 'or' ? (run: Run) => tests.some((test) => test(run)) : (run: Run) => tests.every((test) => test(run))
      return describedTest(all, { reads: tests.flatMap(readsOf) })
    }
    case 'not': {
      const test = compileCondition(condition.part, context)
      return test && describedTest((run) => !test(run), { reads: readsOf(test) })
    }
    case 'present': {
      const side = compileSide(condition.value, context)
      if (!side) return undefined
      const test = (run: Run) => {
        const value = side.get(run)
        return !isEmpty(value) && value !== false
      }
      return describedTest(test, { reads: side.reads, ...(side.isPlain && { simple: { kind: 'present' } }) })
    }
    case 'empty': {
      const side = compileSide(condition.value, context)
      return side && describedTest((run) => isEmpty(side.get(run)) !== condition.not, { reads: side.reads })
    }
    case 'compare':
      return compileComparison(condition, context)
    case 'among':
      return compileAmong(condition, context)
    default:
      return assertNever(condition)
  }
}

/** What a condition reads; of one that does not say so, something unknown. */
function readsOf({ shape }: Test): TestShape['reads'] {
  return shape?.reads ?? [undefined]
}

function compileSide(operand: Operand, context: Context): Side | undefined {
  if (operand.kind === 'literal') {
    const { literal } = operand
    return {
      get: () => literal.value,
      type: literalType(literal.value),
      literal,
      description: literal.kind === 'string' ? `the text "${literal.spelled}"` : literal.spelled,
      reads: [],
      isPlain: false,
    }
  }
  const path = resolvePath(operand.path, context)
  const chain = path && compileFormats(operand.formats, path.type, path.text, context)
  if (!chain) return undefined
  const get = formattedGet(path.get, chain)
  const reads = [chain.pure ? path.direct : undefined]
  return {
    get,
    type: chain.type,
    literal: undefined,
    description: `"${path.text}" (${describe(chain.type)})`,
    reads,
    isPlain: !chain.apply,
  }
}

type CompareNode = Extract<Condition, { kind: 'compare' }>

function compileComparison(node: CompareNode, context: Context): Test | undefined {
  const left = compileSide(node.left, context)
  const right = compileSide(node.right, context)
  if (!left || !right) return undefined
  switch (node.operator) {
    case 'in':
      return contains(right, left, node, context)
    case 'has':
      return contains(left, right, node, context)
    case 'not in': {
      const test = contains(right, left, node, context)
      return test && describedTest((run) => !test(run), { reads: readsOf(test) })
    }
    default:
      return ordered(left, right, node.operator, node, context)
  }
}

function ordered(
  left: Side,
  right: Side,
  operator: Exclude<Comparison, 'in' | 'not in' | 'has'>,
  node: CompareNode,
  context: Context,
): Test | undefined {
  const sort = sortOf(left, right, operator, node, context)
  if (!sort) return undefined
  const not = operator === 'is not'
  const ordering = operator === 'is' || not ? undefined : operator
  const test = (run: Run) => {
    const a = left.get(run)
    const b = right.get(run)
    if (isMissing(a) || isMissing(b)) return not
    const actual = sort === 'any' ? sortOfValues(a, b) : sort
    if (!actual) return not
    if (!ordering) return equal(a, b, actual) !== not
    const by = order(a, b, actual)
    switch (ordering) {
      case '<':
        return by < 0
      case '<=':
        return by <= 0
      case '>':
        return by > 0
      case '>=':
        return by >= 0
    }
  }
  const than = ordering && sort === 'number' && left.isPlain && typeof right.literal?.value === 'number' ? right.literal.value : undefined
  return describedTest(test, {
    reads: [...left.reads, ...right.reads],
    ...(ordering && than !== undefined && { simple: { kind: ordering, than } }),
  })
}

/** By what two sides are compared; unlike declared types are reported. */
function sortOf(left: Side, right: Side, operator: string, node: Condition, context: Context): Sort | 'any' | undefined {
  const sort = commonSort(left, right, operator)
  if (!sort) {
    context.shared.report(problem('types-incompatible', { left: left.description, right: right.description, operator }, node.span))
    return undefined
  }
  const known =
    checkOption(left.type, right.literal, left.description, context) && checkOption(right.type, left.literal, right.description, context)
  return known ? sort : undefined
}

function commonSort(left: Side, right: Side, operator: string): Sort | 'any' | undefined {
  const a = comparable(left.type)
  const b = comparable(right.type)
  if (!a || !b) return undefined
  if (a === 'any' || b === 'any') return 'any'
  if (a !== b) return spellsDate(left, right) || spellsDate(right, left) ? 'date' : undefined
  return a === 'boolean' && !operator.startsWith('is') ? undefined : a
}

/** A text literal beside a date is read as ISO 8601. */
function spellsDate(date: Side, other: Side): boolean {
  if (comparable(date.type) !== 'date' || other.literal?.kind !== 'string') return false
  return isDate(other.literal.spelled) || readDateTime(other.literal.spelled) !== undefined
}

/** A literal beside a choice is one of its options. */
function checkOption(type: ValueType, literal: Literal | undefined, of: string, context: Context): boolean {
  if (type.kind !== 'choice' || type.of.length === 0 || literal?.kind !== 'string' || type.of.includes(literal.spelled)) return true
  context.shared.report(
    problem('option-unknown', { name: literal.spelled, known: type.of, of: of.replace(/^"([^"]+)".*$/, '$1') }, literal.span),
  )
  return false
}

function sortOfValues(a: unknown, b: unknown): Sort | undefined {
  const kind = (value: unknown): Sort | undefined =>
    typeof value === 'number' || typeof value === 'bigint'
      ? 'number'
      : typeof value === 'boolean'
        ? 'boolean'
        : typeof value === 'string'
          ? 'text'
          : undefined
  const sort = kind(a)
  return sort === kind(b) ? sort : undefined
}

/** Whether a list holds an item, or a text a text. */
function contains(whole: Side, part: Side, node: CompareNode, context: Context): Test | undefined {
  const { type } = whole
  const list = type.kind === 'list' ? { ...whole, type: type.item } : undefined
  const sort = list
    ? sortOf(part, list, node.operator, node, context)
    : type.kind === 'any'
      ? 'any'
      : sortOf(part, { ...whole, type: type.kind === 'choice' ? { kind: 'text' } : type }, node.operator, node, context)
  if (!sort) return undefined
  if (!list && type.kind !== 'any' && sort !== 'text' && sort !== 'any') {
    context.shared.report(
      problem('types-incompatible', { left: part.description, right: whole.description, operator: node.operator }, node.span),
    )
    return undefined
  }
  // A list that is asked for one item after the other, as in a loop, is asked by an index from the second time on.
  let asked: { readonly holder: readonly unknown[]; index: Set<unknown> | undefined } | undefined
  const test = (run: Run) => {
    const holder = whole.get(run)
    const item = part.get(run)
    if (isMissing(holder) || isMissing(item)) return false
    if (typeof holder === 'string') {
      run.spend(holder)
      return typeof item === 'string' && holder.includes(item)
    }
    if (!Array.isArray(holder)) return false
    if (holder === asked?.holder) return (asked.index ??= indexOf(holder, sort)).has(keyOf(item, sort))
    asked = { holder, index: undefined }
    run.spend(holder)
    return holder.some((value) => {
      const actual = sort === 'any' ? sortOfValues(value, item) : sort
      return !isMissing(value) && actual !== undefined && equal(value, item, actual)
    })
  }
  return describedTest(test, { reads: [...whole.reads, ...part.reads] })
}

/** The items of a list by what they are compared by. */
function indexOf(list: readonly unknown[], sort: Sort | 'any'): Set<unknown> {
  return new Set(list.filter((item) => !isMissing(item)).map((item) => keyOf(item, sort)))
}

/** The same for values that are equal as values of that sort. */
function keyOf(value: unknown, sort: Sort | 'any'): unknown {
  const actual = sort === 'any' ? sortOfValues(value, value) : sort
  if (actual === 'number' && (typeof value === 'number' || typeof value === 'bigint' || typeof value === 'string'))
    return `number ${plainNumber(value)}`
  if (actual === 'date' && typeof value === 'string') return `date ${instant(value)}`
  return value
}

function compileAmong(node: Extract<Condition, { kind: 'among' }>, context: Context): Test | undefined {
  const left = compileSide(node.left, context)
  if (!left) return undefined
  const sorts = node.literals.map((literal) => {
    const right: Side = {
      get: () => literal.value,
      type: literalType(literal.value),
      literal,
      description: literal.kind === 'string' ? `the text "${literal.spelled}"` : literal.spelled,
      reads: [],
      isPlain: false,
    }
    return sortOf(left, right, 'in', node, context)
  })
  if (sorts.some((sort) => sort === undefined)) return undefined
  const test = (run: Run) => {
    const value = left.get(run)
    if (isMissing(value)) return node.not
    const matches = node.literals.some((literal, i) => {
      const declared = sorts[i]
      const sort = declared === 'any' ? sortOfValues(value, literal.value) : declared
      return sort !== undefined && equal(value, literal.value, sort)
    })
    return matches !== node.not
  }
  return describedTest(test, { reads: left.reads })
}
