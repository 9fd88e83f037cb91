import { defined } from '../invariant.js'
import { drawsOnMore, type Context } from './context.js'
import { problem } from '../problems/problem.js'
import type { Get, Run } from '../render/run.js'
import type { FormatChain } from '../render/shape.js'
import type { FormatCall } from '../text/nodes.js'
import { isMissing, shown } from '../values/data.js'
import { whole, type Argument, type Format } from '../values/formats/format.js'
import { describe, TEXT, type ValueType } from '../values/types.js'
import { typeOfValue, write } from '../values/write.js'

/** A chain of formats, checked: what it gives, and how to run it. */
export interface Chain extends FormatChain {
  readonly type: ValueType
  /** The name of the last format, for origins. */
  readonly last: string | undefined
}

export function compileFormats(calls: readonly FormatCall[], type: ValueType, path: string, context: Context): Chain | undefined {
  let current = type
  const steps: { format: Format; args: readonly Argument[]; type: ValueType }[] = []
  let fence: Chain['fence']
  for (const [i, call] of calls.entries()) {
    const format = context.shared.formats.get(call.name)
    if (!format) {
      context.shared.report(problem('format-unknown', { name: call.name, known: [...context.shared.formats.keys()] }, call.span))
      return undefined
    }
    // What these write is known only together with the rendering around it.
    if (call.name === 'fenced' || call.name === 'masked') drawsOnMore(context.shared)
    if (call.name === 'fenced') {
      if (i < calls.length - 1) {
        context.shared.report(problem('fence-misplaced', { where: `before "${defined(calls[i + 1]).name}"` }, call.span))
        return undefined
      }
      fence = { tag: call.args[0] === undefined ? undefined : String(call.args[0].value) }
      break
    }
    const args = checkArguments(format, call, context)
    if (!args) return undefined
    const valueType = gives(format, current, args)
    if (!valueType) {
      context.shared.report(
        problem('format-invalid', { format: format.name, type: describe(current), path, takes: format.takes }, call.span),
      )
      return undefined
    }
    steps.push({ format, args, type: current })
    current = valueType
  }
  const last = calls.at(-1)?.name
  const pure = calls.every((call) => call.name !== 'masked')
  const isNumber = calls.length === 1 && last === 'number' && calls[0]?.args.length === 0
  if (steps.length === 0) return { type: current, last, fence, apply: undefined, pure, isNumber }
  const runs = steps.map((step) => runner(step.format, step.args, step.type, path))
  const [only] = runs
  if (runs.length === 1) return { type: current, last, fence, apply: only, pure, isNumber }
  const apply = (value: unknown, run: Run): unknown => {
    let result = value
    for (const step of runs) {
      result = step(whole(result), run)
      if (isMissing(result)) return null
    }
    return result
  }
  return { type: current, last, fence, apply, pure, isNumber }
}

/** A value of an open record is checked when it is rendered: its format then applies. */
function gives(format: Format, type: ValueType, args: readonly Argument[]): ValueType | undefined {
  if (type.kind === 'any')
    return format.gives({ kind: 'list', item: { kind: 'any' } }, args)?.kind === 'integer' ? { kind: 'integer' } : { kind: 'any' }
  if (type.kind === 'list' && type.item.kind === 'any' && format.maps) return { kind: 'list', item: { kind: 'any' } }
  const valueType = format.gives(type, args)
  if (valueType || type.kind !== 'list' || type.item.kind !== 'any') return valueType
  return format.gives({ kind: 'list', item: { kind: 'number' } }, args)
}

function runner(format: Format, args: readonly Argument[], type: ValueType, path: string): (value: unknown, run: Run) => unknown {
  if (type.kind === 'any') {
    return (value, run) => {
      const actual = typeOfValue(value)
      const known = fitting(format, value, actual, args)
      if (!known) return run.fail(problem('value-not-formattable', { path, format: format.name, found: shown(value) }))
      return runner(format, args, known, path)(value, run)
    }
  }
  // A file that a format of text takes is its text.
  if (type.kind === 'file' && format.takes === 'text') {
    const inner = runner(format, args, TEXT, path)
    return (value, run) => inner(write(value, type), run)
  }
  if (!format.maps || type.kind !== 'list')
    return (value, run) => {
      run.spend(value)
      return format.write(value, args, run, type)
    }
  const inner = runner(format, args, type.item, path)
  return (value, run) => (value as unknown[]).map((item) => (isMissing(item) ? null : whole(inner(item, run))))
}

/** The type by which a format can take a value that was not declared: text that spells a date or contains numbers counts as such. */
function fitting(format: Format, value: unknown, actual: ValueType, args: readonly Argument[]): ValueType | undefined {
  if (actual.kind === 'list') {
    const items = (value as unknown[]).filter((v) => !isMissing(v)).map(typeOfValue)
    const item = items[0]
    const uniform = item && items.every((i) => i.kind === item.kind) ? item : undefined
    if (uniform && format.gives({ kind: 'list', item: uniform }, args)) return { kind: 'list', item: uniform }
  }
  if (format.gives(actual, args)) return actual
  const isoText = typeof value === 'string' && /^\d{4}-\d{2}-\d{2}(?:T|$)/.test(value)
  const date: ValueType = { kind: typeof value === 'string' && value.length > 10 ? 'date-time' : 'date' }
  return isoText && format.gives(date, args) ? date : undefined
}

function checkArguments(format: Format, call: FormatCall, context: Context): Argument[] | undefined {
  const { parameters } = format
  const most = parameters.at(-1)?.many ? Infinity : parameters.length
  const least = parameters.filter((p) => !p.optional).length
  const fine =
    call.args.length >= least &&
    call.args.length <= most &&
    call.args.every((arg, i) => {
      const parameter = defined(parameters[Math.min(i, parameters.length - 1)])
      if (parameter.kind === 'text') return arg.kind === 'string' && !parameter.refuses?.(String(arg.value))
      return (
        arg.kind === 'number' &&
        Number.isInteger(arg.value) &&
        Number(arg.value) >= (parameter.least ?? 0) &&
        Number(arg.value) <= (parameter.most ?? MOST_ARGUMENT)
      )
    })
  if (fine) return call.args.map((arg) => arg.value as Argument)
  const expected =
    parameters.length === 0
      ? 'no arguments'
      : parameters
          .map((p) => `${p.optional ? 'by choice ' : ''}${p.kind === 'text' ? `"${p.name}"` : `a number (${p.name})`}`)
          .join(' and ')
  context.shared.report(problem('format-argument', { format: format.name, expected }, call.span))
  return undefined
}

/** More characters, items or digits than this are never meant. */
const MOST_ARGUMENT = 1_000_000

/** A value behind its formats; a missing one stays as it is, and they do not run. */
export function formattedGet(get: Get, { apply }: Chain): Get {
  if (!apply) return get
  return (run) => {
    const value = get(run)
    return isMissing(value) ? value : whole(apply(value, run))
  }
}
