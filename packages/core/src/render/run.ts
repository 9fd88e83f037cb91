import type { Limits } from '../artefacts/artefacts.js'
import { ProblemError, problem, type Problem } from '../problems/problem.js'
import type { Masks, Setting } from '../values/formats/format.js'
import type { Locale } from '../values/locale.js'
import { SUSPECT } from './suspect.js'
import { Trace, type Descent } from './trace.js'

/** Which wording of a `vary` is written. */
export type Choose = (place: string, count: number) => number

/**
 * One rendering under way: the text so far, and what the plan's closures need beside it. Closures append to `out`; strings are never taken
 * apart again but where a line turns out to say nothing.
 */
export class Run implements Setting {
  out = ''
  trace: Trace | undefined
  /** The text when the line under way began, and how many fixed blanks it has got since: nothing more means that it says nothing. */
  lineStart = ''
  blanks = 0
  repeats = 0
  /** Whether a value holds a sign that could begin a fence's tag; only looked for where the prompt has fences. */
  suspect = false
  readonly locals: unknown[] = []
  readonly positions: number[] = []
  readonly masks: Masks = { numbers: new Map(), found: new Map() }
  /** Tags of the fences written so far, and how many forms of them those fences are: two each. */
  readonly fences = new Set<string>()
  fenceForms = 0
  /** The case of an example set that is being written. */
  example: readonly unknown[] = []
  persona = ''
  output = ''

  constructor(
    readonly values: readonly unknown[],
    readonly locale: Locale,
    readonly limits: Limits,
    readonly guarded: boolean,
    readonly choose: Choose,
  ) {}

  /** Writes text of one origin that does not come from a value. */
  write(text: string, descent: Descent): void {
    this.out += text
    if (this.trace) this.trace.add(this.out.length, descent)
  }

  /** Writes text that comes from a value. */
  writeGiven(text: string, descent: Descent): void {
    if (this.guarded && !this.suspect) this.suspect = SUSPECT.test(text)
    this.out += text
    if (this.trace) this.trace.add(this.out.length, descent)
    if (this.out.length > this.limits.renderingBytes) this.overflow()
  }

  fence(tag: string): void {
    this.fences.add(tag)
    this.fenceForms += 2
  }

  /** Goes back to an earlier state of the text. */
  back(out: string): void {
    this.out = out
    if (this.trace) this.trace.cut(out.length)
  }

  repeat(): void {
    if (++this.repeats > this.limits.repeats) throw new ProblemError([problem('repeats-over-limit', { limit: this.limits.repeats })])
    if (this.out.length > this.limits.renderingBytes) this.overflow()
  }

  overflow(): never {
    throw new ProblemError([problem('bytes-over-limit', { limit: this.limits.renderingBytes })])
  }

  fail(found: Problem): never {
    throw new ProblemError([found])
  }
}

/** One step of a plan. */
export type Op = (run: Run) => void
export type Get = (run: Run) => unknown
export type Test = (run: Run) => boolean
