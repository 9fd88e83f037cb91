import { defined } from '../invariant.js'
import { textOrigin, type Context, type CompiledValue } from './context.js'
import { compileValue, literalType } from './value.js'
import { Scope, type Binding } from './scope.js'
import { problem, type Problem } from '../problems/problem.js'
import type { Get, Op } from '../render/run.js'
import type { Span } from '../source/source.js'
import type { Text, Use, With } from '../text/nodes.js'
import { acceptType, topLevel } from '../values/accept.js'
import { isMissing } from '../values/data.js'
import { fits, literalFits } from '../values/fits.js'
import { describe, type Declared, type ValueType } from '../values/types.js'

const DEEPEST = 32
/** The limit for a whole prompt: snippets that use snippets multiply. */
const MOST_USES = 10_000

type CompileText = (text: Text, context: Context, open: boolean) => Op

/** What `use` writes, in open form within a line and in closed form as a line of its own. */
export function compileUse(use: Use, context: Context, compileText: CompileText, open: boolean): Op | undefined {
  if (use.what !== 'snippet') {
    const op = context.shared.artefacts.special(use, context)
    return op && (open ? op : closed(op, use, context))
  }
  const { shared } = context
  if (context.depth >= DEEPEST) {
    shared.report(problem('use-too-deep', { limit: DEEPEST }, use.head))
    return undefined
  }
  const names = snippetNames(use, context)
  if (!names) return undefined
  const ops = new Map<string, Op>()
  for (const name of names.all) {
    if (++shared.uses > MOST_USES) {
      if (shared.uses === MOST_USES + 1) shared.report(problem('use-too-often', { limit: MOST_USES }, use.head))
      return undefined
    }
    const op = compileSnippet(name, use, context, compileText, open)
    if (op) ops.set(name, op)
  }
  const { choose } = names
  if (!choose) return ops.get(defined(names.all[0]))
  const byOption = new Map(names.options.map((option, i) => [option, ops.get(defined(names.all[i]))]))
  return (run) => byOption.get(choose(run))?.(run)
}

/** A text in open form as a line of its own: nothing stays nothing. */
function closed(op: Op, use: Use, context: Context): Op {
  const from = textOrigin(context, use.head)
  return (run) => {
    const { length } = run.out
    op(run)
    if (run.out.length > length) run.write('\n', from)
  }
}

/** The name that is used, or all the names that its one slot can come out as. */
function snippetNames(
  use: Use,
  context: Context,
): { all: string[]; options: readonly string[]; choose?: (run: Parameters<Get>[0]) => string } | undefined {
  const slotAt = use.steps.findIndex((step) => typeof step !== 'string')
  if (slotAt < 0) return { all: [use.steps.filter((step) => typeof step === 'string').join('/')], options: [] }
  const slot = use.steps[slotAt] as Exclude<(typeof use.steps)[number], string>
  const compiled = compileValue(slot, context)
  if (!compiled) return undefined
  const path = slot.span.source.text.slice(slot.span.start, slot.span.end)
  const others = use.steps.filter((step) => typeof step !== 'string').length > 1
  if (compiled.type.kind !== 'choice' || compiled.type.of.length === 0 || compiled.optional || others) {
    const type = others ? 'one of several slots' : compiled.optional ? 'may be missing' : describe(compiled.type)
    context.shared.report(problem('use-name-invalid', { path, type }, slot.span))
    return undefined
  }
  const nameFor = (option: string) => use.steps.map((step, i) => (i === slotAt ? option : (step as string))).join('/')
  const { get, type } = compiled
  return { all: type.of.map(nameFor), options: type.of, choose: (run) => get(run) as string }
}

function compileSnippet(name: string, use: Use, context: Context, compileText: CompileText, open: boolean): Op | undefined {
  const { shared } = context
  const snippet = shared.artefacts.snippet(name)
  if (!snippet) {
    shared.report(problem('use-unknown', { name, what: 'snippet', known: shared.artefacts.snippetNames }, use.nameSpan))
    return undefined
  }
  const bindings = bindAll({ what: 'snippet', name, given: use.with, span: use.head }, snippet.variables, context)
  if (shared.leavesUsed) return () => undefined
  return compileText(
    snippet.text,
    {
      ...context,
      scope: new Scope(bindings),
      kind: 'snippet',
      via: { what: 'snippet', name, span: use.head, outer: context.via },
      depth: context.depth + 1,
      place: name,
    },
    open,
  )
}

/** What gets values where it is used: a snippet in a text, or the prompt of an assembly's part. */
export interface Callee {
  readonly what: 'snippet' | 'prompt'
  readonly name: string
  readonly given: readonly With[]
  readonly span: Span
}

/** The name of a kind in messages, where it is not a snippet. */
function whatOf({ what }: Callee): { what?: string } {
  return what === 'snippet' ? {} : { what }
}

/** Each variable of a snippet: from `with`; else, without a default, from the caller; else its default (language §4). */
export function bindAll(callee: Callee, declared: readonly Declared[], context: Context): Binding[] {
  const { report } = context.shared
  const compiledValues = new Map<string, CompiledValue>()
  const unread = new Set<string>()
  for (const { name, value } of callee.given) {
    if (!declared.some((d) => d.name === name.name))
      report(
        problem('with-unknown', { name: name.name, of: callee.name, known: declared.map((d) => d.name), ...whatOf(callee) }, name.span),
      )
    const compiled = compileValue(value, context)
    if (compiled) compiledValues.set(name.name, compiled)
    else unread.add(name.name)
  }
  return declared.map((d) => {
    const passed = compiledValues.get(d.name)
    if (passed) return bindValue(d, passed, callee, context)
    const hidden = d.default === undefined || unread.has(d.name) ? undefined : context.scope.find(d.name)
    if (hidden && fits(hidden.type, d.type)) {
      hidden.used.yes = true
      report(problem('default-hides', { name: d.name, of: callee.name, ...whatOf(callee) }, callee.span))
    }
    return (
      (d.default === undefined && !unread.has(d.name) && fromCaller(d, callee, context)) || standing(d, callee, context, unread.has(d.name))
    )
  })
}

function bindValue(d: Declared, compiled: CompiledValue, callee: Callee, context: Context): Binding {
  const { report } = context.shared
  const span = callee.given.find((w) => w.name.name === d.name)?.value.span ?? callee.span
  const ok =
    compiled.literal === undefined ? compiled.type.kind === 'any' || fits(compiled.type, d.type) : literalFits(compiled.literal, d.type)
  if (!ok)
    report(
      problem(
        'with-invalid',
        {
          name: d.name,
          of: callee.name,
          expected: describe(d.type),
          found: compiled.literal === undefined ? describe(compiled.type) : JSON.stringify(compiled.literal),
          ...whatOf(callee),
        },
        span,
      ),
    )
  else if (compiled.optional && !d.optional && d.default === undefined) {
    const path = span.source.text.slice(span.start, span.end)
    report(problem('with-optional', { name: d.name, of: callee.name, path, ...whatOf(callee) }, span))
  }
  const type =
    compiled.literal === undefined && compiled.type.kind !== 'any'
      ? compiled.type
      : d.type.kind === 'any'
        ? literalType(compiled.literal ?? '')
        : d.type
  return binding(d, { type, untrusted: compiled.wholly, path: compiled.path, get: settled(d, compiled, context, span) })
}

/** A default counts if the passed value is missing; a value of an open record is checked when it is rendered. */
function settled(d: Declared, compiled: CompiledValue, context: Context, span: Use['head']): Get {
  const { get, type } = compiled
  if (type.kind !== 'any') return d.default === undefined ? get : (run) => (isMissing(get(run)) ? d.default : get(run))
  return (run) => {
    const value = get(run)
    if (isMissing(value)) {
      if (d.default === undefined && !d.optional) return run.fail(problem('value-missing', { path: d.name }, span))
      return d.default ?? null
    }
    const problems: Problem[] = []
    const accepted = acceptType(value, d.type, topLevel(d.name), (p) => problems.push(p))
    return problems[0] ? run.fail(problems[0]) : accepted
  }
}

function fromCaller(d: Declared, callee: Callee, context: Context): Binding | undefined {
  const caller = context.scope.find(d.name)
  if (!caller || caller.type.kind === 'any' || !fits(caller.type, d.type)) return undefined
  caller.used.yes = true
  if (caller.optional && !d.optional)
    context.shared.report(problem('with-optional', { name: d.name, of: callee.name, path: d.name, ...whatOf(callee) }, callee.span))
  return binding(d, { type: caller.type, untrusted: caller.untrusted, path: caller.path, get: caller.get, optional: caller.optional })
}

/** A default, or nothing; a missing required variable is reported. */
function standing(d: Declared, callee: Callee, context: Context, reported: boolean): Binding {
  if (d.default === undefined && !d.optional && !reported) {
    const caller = context.scope.find(d.name)
    const why = caller && `the "${d.name}" of the ${callee.what === 'snippet' ? 'caller' : 'assembly'} ${unlikeness(caller.type, d.type)}`
    context.shared.report(problem('with-missing', { name: d.name, of: callee.name, why, ...whatOf(callee) }, callee.span))
  }
  return binding(d, { type: d.type, untrusted: false, path: [d.name], get: () => d.default ?? null })
}

function unlikeness(valueType: ValueType, wanted: ValueType): string {
  const [text, needed] = [describe(valueType), describe(wanted)]
  return text === needed ? 'has other fields than are needed' : `is ${text}, not ${needed}`
}

function binding(
  d: Declared,
  source: { type: Binding['type']; untrusted: boolean; path: Binding['path']; get: Get; optional?: boolean },
): Binding {
  const optional = source.optional ?? (d.optional && d.default === undefined)
  return {
    name: d.name,
    type: source.type,
    optional,
    untrusted: source.untrusted || d.untrusted,
    get: source.get,
    path: source.path,
    span: d.span,
    used: { yes: false },
    loop: false,
  }
}
