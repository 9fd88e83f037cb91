import type { Limits } from '../artefacts/artefacts.js'
import type { Picked } from '../examples/picker.js'
import { ProblemError, problem, type Problem } from '../problems/problem.js'
import type { PassageType } from '../text/nodes.js'
import type { Setting } from '../values/formats/format.js'
import type { PersonalDetector } from '../values/personal/detector.js'
import { Placeholders } from '../values/personal/placeholders.js'
import type { Locale } from '../values/locale.js'
import { jsonBytes } from './json-bytes.js'
import { isHarmless, isSuspect } from '../fences/suspicion.js'
import type { StepShape, TestShape } from './shape.js'
import { Trace, type TextOrigin } from './trace.js'

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
 * One rendering in progress: the text so far, and the state that the plan's closures need. Closures append to `out`; strings are never taken
 * apart again except where a line turns out to be empty.
 */
export class Run implements Setting {
  out = ''
  trace: Trace | undefined
  /** The text when the current line began, and how many fixed spaces it has got since: if there is nothing more, the line is empty. */
  lineStart = ''
  blanks = 0
  repeats = 0
  /** Whether a value holds a character that could begin a fence's tag; only looked for where the prompt has fences. */
  suspect = false
  /** Tags of the fences written so far. */
  fences: readonly string[] = NONE
  /** Whether `out` is the inside of a JSON string, as bytes: fixed text was made so when it was compiled, so that a record costs its values. */
  json = false
  /** The case of an example set that is being written. */
  example: readonly unknown[] = NONE
  persona = ''
  output = ''
  /** Whether a turn has attachments. */
  attached = false

  constructor(
    readonly values: readonly unknown[],
    readonly locale: Locale,
    readonly limits: Limits,
    readonly guarded: boolean,
    /** Whether each rendering has tags of its own. */
    readonly nonce: boolean,
    readonly choose: Choose,
    readonly random: (name: string) => number,
    /** What counts as personal data, in a language. */
    readonly detectorFor: (locale: string | undefined) => PersonalDetector,
  ) {
    this.most = limits.renderingBytes
  }

  /** The passages written so far, if they are collected. */
  passages: PassageMark[] | undefined

  /** The cases picked so far, and the notices of the rendering: created when there are any. */
  picks: SetPick[] | undefined
  warnings: Problem[] | undefined

  /** Items and counts of the open loops, and the position of each loop in its list. */
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
  get masks(): Placeholders {
    return (this.replaced ??= new Placeholders(this.detectorFor(this.locale.name), this.values))
  }

  replaced: Placeholders | undefined

  /** The most characters that a text may have: as many as bytes, since no character takes less than one. */
  private readonly most: number

  /** Writes text of one origin that does not come from a value. */
  write(text: string, descent: TextOrigin): void {
    this.out += this.json ? jsonBytes(text) : text
    if (this.trace) this.trace.add(this.out.length, descent)
  }

  /** The same for text that is fixed, and known in both its forms. */
  writeBothWays({ text, json }: BothWays, descent: TextOrigin): void {
    this.out += this.json ? json : text
    if (this.trace) this.trace.add(this.out.length, descent)
  }

  /** Writes text that comes from a value. */
  writeValue(text: string, descent: TextOrigin): void {
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

  /** The tag of a fence in this rendering: its name, followed by four digits from the seed and the record if the library uses `nonce`. */
  nameTag(name: string): string {
    return this.nonce ? `${name}-${(this.random(`fence ${name}`) & 0xffff).toString(16).padStart(4, '0')}` : name
  }

  /** The tag of a fence that is written: no value of the rendering may hold a form of it. */
  tagFor(name: string): string {
    const tag = this.nameTag(name)
    if (!this.fences.includes(tag)) this.fences = this.fences === NONE ? [tag] : [...this.fences, tag]
    return tag
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

  /** A format or condition goes through a value: what it costs grows with its size, and some are gone through again and again. */
  spend(value: unknown): void {
    this.steps += typeof value === 'string' ? 1 + (value.length >> 5) : Array.isArray(value) ? 1 + value.length : 1
    if (this.steps > this.limits.steps) throw new ProblemError([problem('steps-over-limit', { limit: this.limits.steps })])
  }

  private steps = 0

  overflow(): never {
    throw new ProblemError([problem('bytes-over-limit', { limit: this.limits.renderingBytes })])
  }

  fail(problem: Problem): never {
    throw new ProblemError([problem])
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
export interface Op {
  (run: Run): void
  /** What it does, where that can be said. */
  readonly shape?: StepShape
}
export type Get = (run: Run) => unknown
/** A condition. */
export interface Test {
  (run: Run): boolean
  readonly shape?: TestShape
}
