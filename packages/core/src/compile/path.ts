import type { Context } from './context.js'
import type { Binding } from './scope.js'
import { problem } from '../problems/problem.js'
import type { Get, Op } from '../render/run.js'
import type { PathStep } from '../render/trace.js'
import { braceHint } from '../text/cursor.js'
import type { Path, Step } from '../text/nodes.js'
import { isMissing, isRecord, own } from '../values/data.js'
import { ANY, describe, type Declared, type ValueType } from '../values/types.js'
import { settle } from '../values/write.js'

/** A path resolved against the declarations. */
export interface ResolvedPath {
  readonly get: Get
  readonly type: ValueType
  readonly optional: boolean
  /** Whether finding nothing there is a problem: a step into an open record, a counted step. */
  readonly open: boolean
  /** Whether it, or something within it, is untrusted. */
  readonly untrusted: boolean
  /** Whether it is untrusted as a whole, and not only some of its fields. */
  readonly wholly: boolean
  readonly steps: readonly PathStep[]
  readonly text: string
  /** Writes a bound text that holds fences. */
  readonly inline: Op | undefined
  /** A variable of the rendering, or a declared field of one: what can be read without a call. */
  readonly direct: { readonly variable: number; readonly field: string | undefined } | undefined
}

interface Walk {
  get: Get
  type: ValueType
  optional: boolean
  open: boolean
  untrusted: boolean
}

/** Finds what a path means; what the declarations cannot take is reported. */
export function resolvePath(path: Path, context: Context): ResolvedPath | undefined {
  const { scope, shared } = context
  const binding = scope.find(path.name)
  if (!binding) {
    const { source, start } = path.span
    const isFallback = /\bor[ \t]+$/.test(source.text.slice(Math.max(0, start - 20), start)) && path.steps.length === 0
    const slotStart = source.text[start - 1] === '{' ? braceHint(source, start - 1) : undefined
    shared.report(
      problem(
        'name-unknown',
        { name: path.name, known: scope.names(), brace: slotStart?.guess ? slotStart : undefined, ...(isFallback && { isFallback }) },
        path.span,
      ),
    )
    return undefined
  }
  binding.used.yes = true
  if (!binding.constant) shared.varying++
  if (binding.variable !== undefined) shared.draws.variables.add(binding.variable)
  else if (binding.bound) shared.draws.more = true
  const walk: Walk = { get: binding.get, type: binding.type, optional: binding.optional, open: false, untrusted: binding.untrusted }
  let text = path.name
  for (const step of path.steps) {
    if (!takeStep(walk, step, text, context)) return undefined
    text += step.kind === 'string' ? `."${step.key}"` : `.${step.key}`
  }
  const direct = directly(binding, path, walk)
  return {
    type: walk.type,
    optional: walk.optional,
    open: walk.open,
    get: direct ? directGet(direct.variable, direct.field) : walk.get,
    untrusted: walk.untrusted || holdsUntrusted(walk.type),
    wholly: walk.untrusted,
    steps: [...binding.path, ...path.steps.map((s) => s.key)],
    text,
    inline: path.steps.length === 0 ? binding.inline : undefined,
    direct,
  }
}

function directly(binding: Binding, path: Path, walk: Walk): ResolvedPath['direct'] {
  if (binding.variable === undefined || walk.open || path.steps.length > 1) return undefined
  return { variable: binding.variable, field: path.steps[0]?.key }
}

/** One call instead of one for each step. */
function directGet(variable: number, field: string | undefined): Get {
  if (field === undefined) return (run) => run.values[variable]
  return (run) => {
    const record = run.values[variable]
    return record === null || record === undefined ? record : (record as Record<string, unknown>)[field]
  }
}

/** Whether something within the value is marked as untrusted. */
function holdsUntrusted(type: ValueType): boolean {
  if (type.kind === 'list') return holdsUntrusted(type.item)
  if (type.kind !== 'record' && type.kind !== 'table') return false
  return (type.fields ?? []).some((f) => f.untrusted || holdsUntrusted(f.type))
}

function takeStep(walk: Walk, step: Step, path: string, context: Context): boolean {
  const { type } = walk
  const inner = walk.get
  if (type.kind === 'any' || (type.kind === 'record' && !type.fields && step.kind !== 'integer')) {
    const holder = walk.open ? inner : settledGet(inner)
    walk.get = step.kind === 'integer' ? countedItem(holder, Number(step.key)) : openField(holder, step.key)
    walk.type = ANY
    walk.open = true
    return true
  }
  if (type.kind === 'record' && type.fields && step.kind !== 'integer') return takeField(walk, type.fields, step, path, context)
  if ((type.kind === 'list' || type.kind === 'table') && step.kind === 'integer') {
    walk.get = countedItem(walk.open ? inner : settledGet(inner), Number(step.key))
    walk.type = type.kind === 'list' ? type.item : { kind: 'record', ...(type.fields && { fields: type.fields }) }
    walk.open = true
    return true
  }
  context.shared.report(problem('step-invalid', { step: step.key, path, type: describe(type) }, step.span))
  return false
}

function takeField(walk: Walk, fields: readonly Declared[], step: Step, path: string, context: Context): boolean {
  const field = fields.find((f) => f.name === step.key)
  if (!field) {
    context.shared.report(problem('field-unknown', { name: step.key, of: path, known: fields.map((f) => f.name) }, step.span))
    return false
  }
  walk.get = declaredField(walk.get, field.name)
  walk.type = field.type
  walk.optional ||= field.optional
  walk.untrusted ||= field.untrusted
  return true
}

/** What is declared may be missing, but never in doubt: below it nothing is absent. */
function settledGet(get: Get): Get {
  return (run) => get(run) ?? null
}

/** A declared field: accepting the record has made each of them its own data, so it is read as it is. */
function declaredField(inner: Get, key: string): Get {
  return (run) => {
    const record = inner(run)
    return record === null || record === undefined ? record : (record as Record<string, unknown>)[key]
  }
}

function openField(inner: Get, key: string): Get {
  return (run) => {
    const holder = inner(run)
    if (isMissing(holder)) return holder
    return isRecord(holder) ? settle(own(holder, key)) : undefined
  }
}

/** Counted from 1, or from the end by a negative number. */
function countedItem(inner: Get, count: number): Get {
  return (run) => {
    const list = inner(run)
    if (isMissing(list)) return list
    return Array.isArray(list) ? settle(list[count > 0 ? count - 1 : list.length + count]) : undefined
  }
}
