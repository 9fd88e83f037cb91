import type { PersonalDetector } from '../values/personal/detector.js'
import type { TurnMemo } from './memo.js'
import type { PastTurn } from '../values/past-turns.js'
import type { AnswerColumn } from '../outputs/columns.js'
import type { Form } from '../outputs/form.js'
import type { Role } from '../artefacts/artefacts.js'
import type { Span } from '../source/source.js'
import type { Locale } from '../values/locale.js'
import type { Declared } from '../values/types.js'
import type { AttachmentPlan } from './parts.js'
import type { Op, Run } from './run.js'
import type { TextOrigin } from './trace.js'

/** One turn of a plan: either a text, or what becomes several turns at rendering. */
export type TurnPlan =
  | {
      readonly kind: 'text'
      readonly role: Role
      readonly name: string | undefined
      readonly op: Op
      /** What was written before, where little decides it; undefined where nearly every record has another text. */
      readonly memo: TurnMemo | undefined
      readonly attach: readonly AttachmentPlan[]
      readonly span: Span
    }
  | {
      readonly kind: 'each'
      /** Runs `body` for every item. */
      readonly each: (run: Run, body: () => void) => void
      readonly turns: readonly TurnPlan[]
      readonly span: Span
    }
  | {
      readonly kind: 'history'
      readonly get: (run: Run) => readonly PastTurn[]
      readonly fence: string | undefined
      readonly user: TextOrigin
      readonly made: TextOrigin
      readonly tag: TextOrigin
      readonly assistant: TextOrigin
      readonly span: Span
    }
  | {
      readonly kind: 'examples'
      /** The values of the cases for a record, in the order in which they are written. */
      readonly pick: (run: Run) => readonly (readonly unknown[])[]
      readonly ask: Op
      readonly answer: Op
      readonly span: Span
    }

/** An output as one prompt has it. */
export interface FormPlan {
  readonly form: (run: Run) => Form
  /** The parts of it that are the same for every record. */
  readonly outline: Form
  /** Set where the form is the same for every record. */
  readonly fixed: Form | undefined
}

/** What is personal in the values of a prompt. */
export interface PersonalPlan {
  readonly detectorFor: (locale: string | undefined) => PersonalDetector
  /** Values that are replaced wherever they appear: the variable's place, and the fields that lead to the text. */
  readonly paths: readonly { readonly variable: number; readonly fields: readonly string[]; readonly kind: string }[]
}

/** What a text uses, besides its persona, its output and the locale: if that is the same as before, so is the text. */
export interface Draws {
  /** The rendering's own variables, by index. */
  readonly variables: Set<number>
  /** Whether something else decides too: the record's id, a fence elsewhere, picked cases. */
  more: boolean
}

/** A prompt, ready to be rendered: decided once, so that a record costs only its values. */
export interface Plan {
  readonly variables: readonly Declared[]
  readonly bound: ReadonlySet<string>
  readonly turns: readonly TurnPlan[]
  /** Whether a fence is written somewhere. */
  readonly guarded: boolean
  /** Whether the tags of fences end in digits of the rendering's own. */
  readonly nonce: boolean
  readonly openEnd: boolean
  readonly personal: PersonalPlan
  /** The declared orders of fields that come out in writing. */
  readonly orders: readonly string[]
  readonly persona: ((run: Run) => string) | undefined
  readonly output: ((run: Run) => string) | undefined
  /** What decides the persona, the output and the locale. */
  readonly chosenBy: Draws
  /** The forms of answers that renderings can have, by output. */
  readonly forms: ReadonlyMap<string, FormPlan>
  /** The columns that answers fill. */
  readonly answerColumns: readonly AnswerColumn[]
  readonly locale: ((run: Run) => Locale) | undefined
}
