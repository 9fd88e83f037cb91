import type { ValueType } from '../values/types.js'
import type { Get, Op, Run, Test } from './run.js'
import type { TextOrigin } from './trace.js'

// The steps of a plan are closures, and say nothing of themselves. What another way of rendering has to know of one stands beside it, as data.

/** A value of the rendering, or a declared field of one. */
export interface Direct {
  readonly variable: number
  readonly field: string | undefined
}

/** Text of the library. */
export interface FixedText {
  readonly kind: 'fixed'
  text: string
  /** The same as it stands in a JSON string, made when it is first asked for. */
  json: string | undefined
  readonly lengths: number[]
  readonly from: TextOrigin[]
}

/** A declared value that is written as it is: a variable's, or that of a field of a variable. */
export interface PlainValue extends Direct {
  readonly kind: 'value'
  /** Whether it is free text, which could hold a character of a fence's tag. */
  readonly free: boolean
  readonly from: TextOrigin
}

/** What goes before the further lines of a value: at least the slot's column, and quote marks again. */
export interface Continuation {
  readonly lead: string
  /** The same for an empty line, which gets no trailing spaces. */
  readonly blank: string
}

/** What is done to a value before it is written. */
export interface FormatChain {
  /** `fenced` comes last: its tag, or undefined for the path's own. */
  readonly fence: { readonly tag: string | undefined } | undefined
  readonly apply: ((value: unknown, run: Run) => unknown) | undefined
  /** Whether the same value gives the same again, in one locale: `masked` counts what it replaces. */
  readonly pure: boolean
  /** Whether it is `number` and nothing else, with as many digits as there are. */
  readonly isNumber: boolean
}

/** A value that a slot may write. */
export interface SlotPart {
  /** Undefined if it is found in another way. */
  readonly direct: Direct | undefined
  readonly type: ValueType
  readonly chain: FormatChain
  readonly get: Get
  readonly write: (value: unknown, run: Run) => void
  /** Its path, as it is written. */
  readonly text: string
}

/** What a step does. */
export type StepShape =
  | { readonly kind: 'sequence'; readonly steps: readonly Op[] }
  | { readonly kind: 'plain'; readonly parts: readonly (FixedText | PlainValue)[] }
  | { readonly kind: 'when'; readonly branches: readonly { readonly test: Test | undefined; readonly body: Op }[] }
  /** The second step only if the first one wrote something. */
  | { readonly kind: 'unless-nothing'; readonly before: Op; readonly after: Op }
  | { readonly kind: 'without-line-end'; readonly step: Op }
  /** A line, with its end. If it `canGo`, it goes where nothing but fixed spaces was written. */
  | { readonly kind: 'line'; readonly pieces: Op; readonly canGo: boolean }
  /** Fixed spaces of a line that may go. */
  | { readonly kind: 'blanks'; readonly text: string }
  /** The end of a line within a step, after which another begins. */
  | { readonly kind: 'break'; readonly canGo: boolean }
  | { readonly kind: 'line-start' }
  /** Text with lines of its own, after which the line under way goes on. */
  | { readonly kind: 'own-lines'; readonly step: Op }
  | {
      readonly kind: 'slot'
      /** The first that is not empty is written. */
      readonly parts: readonly SlotPart[]
      readonly fallback: string | undefined
      readonly more: Continuation | undefined
    }

/** What a condition looks at; undefined for what is found in another way. */
export interface TestShape {
  readonly reads: readonly (Direct | undefined)[]
  /** A comparison that a number's bytes, or their absence, decide. */
  readonly simple?: { readonly kind: 'present' } | { readonly kind: '<' | '<=' | '>' | '>='; readonly than: number }
}

/** Says beside a step what it does. */
export function described<F extends Op>(step: F, shape: StepShape): F {
  return Object.assign(step, { shape })
}

/** Says beside a condition what it looks at. */
export function describedTest(test: Test, shape: TestShape): Test {
  return Object.assign(test, { shape })
}
