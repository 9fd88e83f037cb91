import { defined } from '../invariant.js'
import type { Op, Run } from '../render/run.js'
import { described, type FixedText, type PlainValue } from '../render/shape.js'
import { jsonBytes } from '../render/json-bytes.js'
import { isHarmless, isSuspect } from '../fences/suspicion.js'
import type { TextOrigin } from '../render/trace.js'

/**
 * Collects steps. Fixed texts that meet become one, and runs of fixed texts and plain values become one step without a call for each: most
 * of what a prompt writes. docs/performance.md has the figures.
 */
export class OpList {
  private readonly steps: (Op | FixedText | PlainValue)[] = []

  fixed(text: string, from: TextOrigin): void {
    if (text === '') return
    const last = this.steps.at(-1)
    if (last && 'kind' in last && last.kind === 'fixed') {
      last.text += text
      if (last.from.at(-1) === from) last.lengths.push(defined(last.lengths.pop()) + text.length)
      else {
        last.lengths.push(text.length)
        last.from.push(from)
      }
    } else this.steps.push({ kind: 'fixed', text, json: undefined, lengths: [text.length], from: [from] })
  }

  op(step: Op | PlainValue): void {
    this.steps.push(step)
  }

  /** One step that does all of them. */
  done(): Op {
    const ops: Op[] = []
    let plain: (FixedText | PlainValue)[] = []
    for (const step of [...this.steps, undefined]) {
      if (step && 'kind' in step) {
        if (step.kind === 'fixed' && step.lengths.length > 1) step.text = flat(step.text)
        plain.push(step)
        continue
      }
      if (plain.length > 0) ops.push(plainOp(plain))
      plain = []
      if (step) ops.push(step)
    }
    return inTurn(ops)
  }
}

/** Joined texts are trees to an engine, which it would go through again in every rendering: written out once, here, they are one. */
export function flat(text: string): string {
  return text.split('\n').join('\n')
}

function inTurn(ops: readonly Op[]): Op {
  const [only, another] = ops
  return only && !another ? only : described(allOf(ops), { kind: 'sequence', steps: ops })
}

function allOf(ops: readonly Op[]): Op {
  const [first, second, third] = ops
  if (!first || !second) return () => undefined
  if (!third) {
    return (run) => {
      first(run)
      second(run)
    }
  }
  return (run) => {
    for (let i = 0; i < ops.length; i++) defined(ops[i])(run)
  }
}

function plainOp(parts: readonly (FixedText | PlainValue)[]): Op {
  return described(plainStep(parts), { kind: 'plain', parts })
}

function plainStep(parts: readonly (FixedText | PlainValue)[]): Op {
  const [only] = parts
  if (parts.length === 1 && only?.kind === 'fixed') {
    const { text } = only
    return (run) => {
      run.out += run.json ? jsonOf(only) : text
      if (run.trace) traceFixed(only, run)
    }
  }
  return (run) => {
    if (run.trace) {
      for (const part of parts) tracePlain(part, run)
      return
    }
    const { json } = run
    let { out } = run
    for (let i = 0; i < parts.length; i++) {
      const part = defined(parts[i])
      if (part.kind === 'fixed') out += json ? jsonOf(part) : part.text
      else {
        const value = read(part, run)
        if (value === null || value === undefined) continue
        if (json && isHarmless(value)) {
          out += value
          continue
        }
        if (part.free && run.guarded && !run.suspect) run.suspect = isSuspect(value)
        out += json ? jsonBytes(value) : value
      }
    }
    run.out = out
    run.checkLength()
  }
}

function jsonOf(part: FixedText): string {
  return (part.json ??= flat(jsonBytes(part.text)))
}

/** What is declared has been accepted: it is text, or missing as null or undefined. */
function read({ variable, field }: PlainValue, run: Run): string | null | undefined {
  const value = run.values[variable]
  if (field === undefined || value === null || value === undefined) return value as string | null | undefined
  return (value as Record<string, string | null | undefined>)[field]
}

function tracePlain(part: FixedText | PlainValue, run: Run): void {
  if (part.kind === 'fixed') {
    run.out += part.text
    traceFixed(part, run)
  } else {
    const value = read(part, run)
    if (value !== null && value !== undefined) run.writeValue(value, part.from)
  }
}

function traceFixed({ text, lengths, from }: FixedText, run: Run): void {
  let end = run.out.length - text.length
  for (let i = 0; i < lengths.length; i++) defined(run.trace).add((end += defined(lengths[i])), defined(from[i]))
}
