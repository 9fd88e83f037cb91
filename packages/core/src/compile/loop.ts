import type { Context } from './context.js'
import { compileCondition } from './condition.js'
import { compileValue } from './value.js'
import type { Binding } from './scope.js'
import { problem } from '../problems/problem.js'
import type { Run, Test, Get } from '../render/run.js'
import type { LoopHead, Name } from '../text/nodes.js'
import { isMissing, isRecord, own, shown } from '../values/data.js'
import { describe, INTEGER, itemType } from '../values/types.js'
import { settle } from '../values/write.js'

/** A loop, ready to be run: in a text, or over turns. */
export interface Loop {
  readonly get: Get
  readonly path: string
  readonly slot: number
  readonly counter: number
  readonly keep: Test | undefined
}

/** Resolves the list of a loop, and defines its names for the loop's body. */
export function openLoop(head: LoopHead, context: Context): { readonly loop: Loop; readonly within: Context } {
  const { shared } = context
  const compiled = compileValue(head.value, context)
  const item = compiled && itemType(compiled.type)
  if (compiled && !item) {
    const path = head.value.paths[0]
    const text = path ? path.span.source.text.slice(path.span.start, path.span.end) : 'this'
    shared.report(problem('each-invalid', { path: text, type: describe(compiled.type) }, head.value.span))
  }
  const slot = shared.locals++
  const counter = shared.locals++
  const name = loopBinding(head.name, context, {
    type: item ?? { kind: 'any' },
    // The items of a list keep the marks of their fields; the entries of a record do not.
    untrusted: (compiled?.type.kind === 'record' ? compiled.untrusted : compiled?.wholly) ?? false,
    slot,
    path: [...(compiled?.path ?? []), { loop: slot }],
  })
  const position = head.position && loopBinding(head.position, context, { type: INTEGER, untrusted: false, slot: counter, path: [] })
  const within = { ...context, scope: context.scope.with(name, ...(position ? [position] : [])) }
  const keep = head.keep && compileCondition(head.keep, within)
  return { loop: { get: compiled?.get ?? (() => []), path: head.value.paths[0]?.name ?? '', slot, counter, keep }, within }
}

interface LoopName {
  readonly type: Binding['type']
  readonly untrusted: boolean
  readonly slot: number
  readonly path: Binding['path']
}

function loopBinding({ name, span }: Name, context: Context, { type, untrusted, slot, path }: LoopName): Binding {
  const hidden = context.scope.find(name)
  if (hidden && !hidden.loop) context.shared.report(problem('name-shadowed', { name }, span))
  return { name, type, optional: false, untrusted, get: (run) => run.locals[slot], path, span, used: { yes: false }, loop: true }
}

/** Runs `body` for every kept item, the loop's names set; gives how many there were. */
export function runLoop({ get, path, slot, counter, keep }: Loop, run: Run, body: () => void): number {
  const items = itemsOf(get(run), path, run)
  const savedItem = run.locals[slot]
  const savedCount = run.locals[counter]
  let kept = 0
  for (let i = 0; i < items.length; i++) {
    run.repeat()
    run.locals[slot] = settle(items[i])
    run.locals[counter] = kept + 1
    run.positions[slot] = i + 1
    if (run.trace) run.trace.at(run.positions)
    if (keep && !keep(run)) continue
    kept++
    body()
  }
  run.locals[slot] = savedItem
  run.locals[counter] = savedCount
  return kept
}

function itemsOf(value: unknown, path: string, run: Run): readonly unknown[] {
  if (isMissing(value)) return []
  if (Array.isArray(value)) return value
  if (isRecord(value)) return Object.keys(value).map((key) => ({ key, value: own(value, key) }))
  return run.fail(problem('each-not-list', { path, found: shown(value) }))
}
