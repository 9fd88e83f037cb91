import type { Place, Span } from '../source/source.js'
import type { Severity } from './code.js'
import { registry } from './registry.js'

type Registry = typeof registry
/** The code of a problem: it never changes its meaning. */
export type ProblemCode = keyof Registry
export type ProblemData<C extends ProblemCode> = Parameters<Registry[C]['message']>[0]

/** Another place that belongs to a problem: the opener of a wrong end, the use of a snippet, a declaration. */
export interface Related {
  readonly message: string
  readonly span: Span
}

/** Anything wrong, reported once: a code, a sentence, a place, the likeliest fix. */
export interface ProblemOf<C extends ProblemCode> {
  readonly code: C
  readonly severity: Severity
  readonly message: string
  readonly hint: string | undefined
  readonly data: ProblemData<C>
  readonly span: Span | undefined
  readonly place: Place | undefined
  readonly related: readonly Related[]
}
/** A problem of any code. `code` determines its data. */
export type Problem = { [C in ProblemCode]: ProblemOf<C> }[ProblemCode]

/** Makes a problem of the registry's sentence for `code`. */
export function problem<C extends ProblemCode>(code: C, data: ProblemData<C>, span?: Span, related: readonly Related[] = []): Problem {
  const entry = registry[code]
  const say = entry.message as (data: ProblemData<C>) => string
  const hint = 'hint' in entry ? (entry.hint as (data: ProblemData<C>) => string | undefined) : undefined
  return {
    code,
    severity: entry.severity,
    message: say(data),
    hint: hint?.(data),
    data,
    span,
    place: span?.source.place(span.start),
    related,
  } as unknown as Problem
}

/** Where the stages put what they find; they go on afterwards. */
export type Report = (problem: Problem) => void

/**
 * Thrown by calls that cannot go on. Has all problems that prevented the call.
 *
 * @example
 * const hello = libraryFrom({ 'prompts/hello.yaml': 'title: Hello\nvariables: { who: text }\nturns: [{ user: "Good day, {who}." }]' }).prompt('hello')
 * const thrown = await Promise.resolve().then(() => hello.render({})).catch((error) => error)
 * thrown.problems.map(({ code }) => code) // => ['value-missing']
 */
export class ProblemError extends Error {
  override readonly name: string = 'ProblemError'

  /** @param options `cause`: the exception that led to the problems, if there was one. */
  constructor(
    readonly problems: readonly Problem[],
    options?: ErrorOptions,
  ) {
    super(problems.map(sentence).join('\n'), options)
  }
}

/** `file:line:column message (hint)`. */
export function sentence(p: Problem): string {
  const where = p.place ? `${p.place.file}:${p.place.line}:${p.place.column} ` : ''
  return `${where}${p.message}${p.hint ? ` (${p.hint})` : ''}`
}

/** A problem as plain data. */
export interface ProblemRecord {
  readonly code: ProblemCode
  readonly severity: Severity
  readonly message: string
  readonly hint?: string
  readonly data: unknown
  readonly [more: string]: unknown
}

/**
 * Converts a problem to plain data, for JSON.
 *
 * @param p - The problem.
 * @returns Code, severity, message, help, place and data.
 * @example
 * problemRecord(libraryFrom({ 'prompts/a.yaml': '' }).problems[0]).file // => 'prompts/a.yaml'
 */
export function problemRecord(p: Problem): ProblemRecord {
  return {
    code: p.code,
    severity: p.severity,
    message: p.message,
    ...(p.hint !== undefined && { hint: p.hint }),
    ...p.place,
    ...(p.related.length > 0 && { related: p.related.map((r) => ({ message: r.message, ...r.span.source.place(r.span.start) })) }),
    data: p.data,
  }
}
