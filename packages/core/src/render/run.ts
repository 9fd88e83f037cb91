import type { Limits } from '../artefacts/artefacts.js'
import type { Picked } from '../examples/picker.js'
import { ProblemError, problem, type Problem } from '../problems/problem.js'
import type { PassageType } from '../text/nodes.js'
import type { Masks, Setting } from '../values/formats/format.js'
import type { Locale } from '../values/locale.js'
import { jsonBytes } from './json-bytes.js'
import { isHarmless, isSuspect } from './suspect.js'
import { Trace, type Descent } from './trace.js'

const NONE: readonly string[] = []

/** Which wording of a `vary` is written. */
export type Choose = (place: string, count: number) => number

/** Where a passage stands in the text of an output. */
export interface PassageMark {
  readonly name: string
  readonly type: PassageType
  readonly start: number
  readonly end: number
}

/** The cases of a set that one rendering has. */
export interface SetPick extends Picked {
  readonly set: string
}

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
  /** Tags of the fences written so far, and how many forms of them those fences are: two each. */
  fences: readonly string[] = NONE
  fenceForms = 0
  /** Whether `out` is the inside of a JSON string, as bytes: fixed text was made so when it was compiled, so that a record costs its values. */
  json = false
  /** The case of an example set that is being written. */
  example: readonly unknown[] = NONE
  persona = ''
  output = ''
  /** Whether a turn hands something over beside its text. */
  attached = false

  constructor(
    readonly values: readonly unknown[],
    readonly locale: Locale,
    readonly limits: Limits,
    readonly guarded: boolean,
    readonly choose: Choose,
    readonly lot: (name: string) => number,
  ) {
    this.most = limits.renderingBytes
  }

  /** The passages written so far, where somebody wants to know. */
  passages: PassageMark[] | undefined

  /** The cases picked so far, and what is to be said of the rendering: made when there is something. */
  picks: SetPick[] | undefined
  warnings: Problem[] | undefined

  /** Items and counts of the loops under way, and where each loop stands in its list. */
  get locals(): unknown[] {
    return (this.loopValues ??= [])
  }

  get positions(): number[] {
    return (this.loopPositions ??= [])
  }

  /** Whether a loop has run: then its places belong to what is written. */
  get looping(): boolean {
    return this.loopPositions !== undefined
  }

  private loopValues: unknown[] | undefined
  private loopPositions: number[] | undefined

  /** What `masked` replaced; made when it is first asked for. */
  get masks(): Masks {
    return (this.replaced ??= { numbers: new Map(), found: new Map() })
  }

  replaced: Masks | undefined

  /** The most signs that a text may have: as many as bytes, since no sign takes less than one. */
  private readonly most: number

  /** Writes text of one origin that does not come from a value. */
  write(text: string, descent: Descent): void {
    this.out += this.json ? jsonBytes(text) : text
    if (this.trace) this.trace.add(this.out.length, descent)
  }

  /** The same for text that is fixed, and known in both its forms. */
  writeBothWays({ text, json }: BothWays, descent: Descent): void {
    this.out += this.json ? json : text
    if (this.trace) this.trace.add(this.out.length, descent)
  }

  /** Writes text that comes from a value. */
  writeGiven(text: string, descent: Descent): void {
    if (this.json && isHarmless(text)) this.out += text
    else {
      if (this.guarded && !this.suspect) this.suspect = isSuspect(text)
      this.out += this.json ? jsonBytes(text) : text
    }
    if (this.trace) this.trace.add(this.out.length, descent)
    this.checkLength()
  }

  checkLength(): void {
    if (this.out.length > this.most) this.overflow()
  }

  /** A fence is written in the text under way: its tag is known, and two forms of it are its own. */
  fence(tag: string): void {
    this.knowFence(tag)
    this.fenceForms += 2
  }

  knowFence(tag: string): void {
    if (!this.fences.includes(tag)) this.fences = this.fences === NONE ? [tag] : [...this.fences, tag]
  }

  /** Goes back to an earlier state of the text. */
  back(out: string): void {
    this.out = out
    if (this.trace) this.trace.cut(out.length)
  }

  repeat(): void {
    if (++this.repeats > this.limits.repeats) throw new ProblemError([problem('repeats-over-limit', { limit: this.limits.repeats })])
    this.checkLength()
  }

  overflow(): never {
    throw new ProblemError([problem('bytes-over-limit', { limit: this.limits.renderingBytes })])
  }

  fail(found: Problem): never {
    throw new ProblemError([found])
  }
}

/** Fixed text, and the same as it stands in a JSON string. */
export interface BothWays {
  readonly text: string
  readonly json: string
}

export function bothWays(text: string): BothWays {
  return { text, json: jsonBytes(text) }
}

/** One step of a plan. */
export type Op = (run: Run) => void
export type Get = (run: Run) => unknown
export type Test = (run: Run) => boolean
