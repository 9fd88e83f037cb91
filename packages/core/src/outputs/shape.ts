import type { Label } from '../values/labels.js'
import type { Show } from '../artefacts/artefacts.js'
import type { JsonSchema } from '../interop/to-schema.js'
import type { PassageType } from '../text/nodes.js'
import type { Declared } from '../values/types.js'

/** An output as one rendering has it: its slots are filled, and nothing is left to decide. */
interface Common {
  readonly name: string
  readonly about: string | undefined
  readonly show: Show
  readonly mustSay: readonly string[]
  readonly mustNotSay: readonly string[]
  readonly whole?: WholeRules | undefined
}

/** What an answer keeps to as a whole. */
export interface WholeRules {
  /** The list field, or the passage, whose entries the other texts cite. */
  readonly cites: string | undefined
  readonly minWords: number | undefined
  readonly maxWords: number | undefined
  /** The fields or passages whose words do not count. */
  readonly notCounting: readonly string[]
}

/** What a validator finds wrong: the place in the data as `parts.2.name`, and a sentence without a subject. */
export interface SchemaFinding {
  readonly field: string
  readonly message: string
}
/** Validates data against the schema of an output. */
export type CheckData = (data: unknown) => readonly SchemaFinding[]

export interface FieldsShape extends Common {
  readonly form: 'fields'
  readonly fields: readonly Declared[]
  /** The JSON Schema of a file that is one. */
  readonly schema: JsonSchema | undefined
  /** Checks data by that schema; without it the fields are the whole schema. */
  readonly check: CheckData | undefined
}

export interface OneOfShape extends Common {
  readonly form: 'one-of'
  /** The name of the label among other data. */
  readonly field: string
  readonly of: readonly string[]
  /** What the labels mean, if any is explained. */
  readonly labels?: readonly Label[] | undefined
}

/** A piece of a row or document: what is there already, or what a model writes. */
export type TextSegment = { readonly kind: 'fixed' | 'value'; readonly text: string } | PassageSegment
export interface PassageSegment {
  readonly kind: 'passage'
  readonly name: string
  readonly type: PassageType
  readonly guidance: string
  /** As it stands in the instruction, brackets too. */
  readonly text: string
}

export interface RowsShape extends Common {
  readonly form: 'rows'
  readonly segments: readonly TextSegment[]
  readonly min: number | undefined
  readonly max: number | undefined
}

export interface DocumentShape extends Common {
  readonly form: 'document'
  readonly segments: readonly TextSegment[]
}

export type Shape = FieldsShape | OneOfShape | RowsShape | DocumentShape

export function passagesOf(shape: RowsShape | DocumentShape): PassageSegment[] {
  return shape.segments.filter((segment): segment is PassageSegment => segment.kind === 'passage')
}

/** A row's or document's own text, its passages as they were written down. */
export function ownText({ segments }: RowsShape | DocumentShape): string {
  return segments.map((segment) => segment.text).join('')
}

/** The same with its passages as names alone: their guidance is elsewhere. */
export function bareText({ segments }: RowsShape | DocumentShape): string {
  return segments.map((segment) => (segment.kind === 'passage' ? `<${segment.name}>` : segment.text)).join('')
}
