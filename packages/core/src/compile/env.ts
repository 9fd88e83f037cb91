import type { Context } from './context.js'
import type { PreparedSet } from './example-set.js'
import type { JoinedPrompt, OutputModel, PersonaModel, SnippetModel } from '../artefacts/artefacts.js'
import type { FormPlan, PersonalPlan } from '../render/plan.js'
import type { CheckData } from '../outputs/shape.js'
import type { Likeness } from '../examples/picker.js'
import type { Problem, Report } from '../problems/problem.js'
import type { FileValue } from '../values/files.js'
import type { Format } from '../values/formats/format.js'

/** What a prompt may draw on. */
export interface CompileEnv {
  readonly snippets: ReadonlyMap<string, SnippetModel>
  readonly personas: ReadonlyMap<string, PersonaModel>
  readonly outputs: ReadonlyMap<string, OutputModel>
  readonly formats: ReadonlyMap<string, Format>
  /** The library's own files that turns attach, or why one cannot be had. */
  readonly attachments: ReadonlyMap<string, FileValue | string>
  /** The example sets with their cases written. */
  readonly sets: ReadonlyMap<string, PreparedSet>
  readonly countTokens: ((text: string) => number) | undefined
  /** A program's own measures of likeness, by set. */
  readonly likeness: ReadonlyMap<string, Likeness>
  /** What checks the data of outputs that are JSON Schemas, by output. */
  readonly checks: ReadonlyMap<string, CheckData>
  /** Whether the tags of fences end in digits of the rendering's own. */
  readonly nonce: boolean
  readonly detectorFor: PersonalPlan['detectorFor']
  /** How long a reply may be that is read. */
  readonly replyCharacters: number
}

/** A prompt under way: what its turns and its special uses are compiled with. */
export interface Compilation {
  readonly prompt: JoinedPrompt
  readonly env: CompileEnv
  readonly report: Report
  /** The prompt's own variables, bound ones too. */
  readonly context: Context
  /** The possible personas and outputs of the prompt; undefined if only a rendering determines them. */
  readonly personaNames: readonly string[] | undefined
  readonly outputNames: readonly string[] | undefined
  /** The outputs that the prompt can have, compiled. */
  readonly forms: ReadonlyMap<string, FormPlan>
  /** Sets whose cases show another form than the output asks for: a fault only if a text asks for it. */
  readonly otherForms: Problem[]
  /** Set where a text uses the output. */
  asksForOutput: boolean
}
