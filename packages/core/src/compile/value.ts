import { defined } from '../invariant.js'
import type { Context, CompiledValue } from './context.js'
import { compileFormats, formattedGet, type Chain } from './formats.js'
import { resolvePath, type ResolvedPath } from './path.js'
import { problem } from '../problems/problem.js'
import type { Get } from '../render/run.js'
import type { SlotValue } from '../text/nodes.js'
import { isEmpty, isMissing } from '../values/data.js'
import { fieldOrder, TEXT, type ValueType } from '../values/types.js'

/** One path of an `or` chain with the formats that follow the chain. */
export interface Alternative extends ResolvedPath {
  readonly chain: Chain
}

export function compileAlternatives(value: SlotValue, context: Context): Alternative[] | undefined {
  const alternatives: Alternative[] = []
  for (const path of value.paths) {
    const resolved = resolvePath(path, context)
    const chain = resolved && compileFormats(value.formats, resolved.type, resolved.text, context)
    if (!chain) return undefined
    const order = fieldOrder(resolved.type)
    if (order !== undefined) context.shared.orders.add(order)
    alternatives.push({ ...resolved, chain })
  }
  return alternatives
}

/** A slot's value passed on as a value: to a loop, to a snippet. */
export function compileValue(value: SlotValue, context: Context): CompiledValue | undefined {
  const alternatives = compileAlternatives(value, context)
  if (!alternatives) return undefined
  const { fallback } = value
  if (value.formats.some((f) => f.name === 'fenced') || alternatives.some((a) => a.inline)) {
    context.shared.report(problem('fence-misplaced', { where: 'in a value that is passed on' }, value.span))
    return undefined
  }
  const [first] = alternatives
  if (!first) {
    const literal = defined(fallback).value
    return { type: literalType(literal), optional: false, untrusted: false, wholly: false, get: () => literal, path: [], literal }
  }
  const last = defined(alternatives.at(-1))
  const gets = alternatives.map((a) => formattedGet(a.get, a.chain))
  const get: Get = (run) => {
    for (let i = 0; i < alternatives.length; i++) {
      const item = defined(gets[i])(run)
      if (!isEmpty(item)) return item
      if (i === alternatives.length - 1 && !fallback) {
        // An empty list is a value; of nothing at all, an open path tells by `undefined`.
        if (!isMissing(item)) return item
        if (item === undefined && last.open && alternatives.length === 1)
          return run.fail(problem('step-not-found', { path: last.text }, value.span))
        return null
      }
    }
    return fallback ? fallback.value : null
  }
  const common = alternatives.every((a) => a.chain.type.kind === first.chain.type.kind) ? first.chain.type : { kind: 'any' as const }
  return {
    type: common,
    optional: !fallback && alternatives.every((a) => a.optional),
    untrusted: alternatives.some((a) => a.untrusted),
    // A format makes another value of the whole.
    wholly: alternatives.some((a) => (value.formats.length > 0 ? a.untrusted : a.wholly)),
    get: alternatives.length === 1 && !fallback && !first.open ? defined(gets[0]) : get,
    path: first.steps,
  }
}

export function literalType(literal: string | number | boolean): ValueType {
  if (typeof literal === 'string') return TEXT
  return typeof literal === 'number' ? { kind: Number.isInteger(literal) ? 'integer' : 'number' } : { kind: 'boolean' }
}
