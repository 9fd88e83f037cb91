import { schemaOf, type JsonSchema } from 'dunelight/parts'
import { exampleOf, innerSchema } from './schemas.js'
import type { Wording } from '../wordings/wording.js'

/** A prompt in the list of prompts. */
export interface ListedPrompt {
  readonly name: string
  readonly title: string
  readonly about?: string
  readonly tags: readonly string[]
  /** The number of its edition; absent for the working files. */
  readonly edition?: number
}

/** A prompt with all that a caller needs to use it. */
export interface DescribedPrompt extends ListedPrompt {
  readonly digest?: string
  readonly published?: {
    readonly at: string
    readonly author?: string
    readonly note?: string
    readonly approvedBy?: readonly string[]
  }
  readonly isTool: boolean
  /** JSON Schema (2020-12) of its values, and of its answer. */
  readonly variables: JsonSchema
  readonly answer: JsonSchema
  /** Values that show what is meant: the examples of the declarations, or invented ones. */
  readonly example: Readonly<Record<string, unknown>>
}

export function listed({ name, prompt, tags, edition }: Wording): ListedPrompt {
  const { title, about } = prompt
  return { name, title, ...(about !== undefined && { about }), tags, ...(edition && { edition: edition.number }) }
}

export function described(wording: Wording): DescribedPrompt {
  const { prompt, edition, isTool } = wording
  return {
    ...listed(wording),
    ...(edition && {
      digest: edition.digest,
      published: {
        at: edition.created,
        ...(edition.author !== undefined && { author: edition.author }),
        ...(edition.note !== undefined && { note: edition.note }),
        ...(edition.approval && { approvedBy: edition.approval.by }),
      },
    }),
    isTool,
    variables: variablesSchema(wording),
    answer: answerSchema(wording),
    example: exampleOf(prompt.variables),
  }
}

/** The JSON Schema of a prompt's values. */
export function variablesSchema({ name, prompt }: Wording): JsonSchema {
  return innerSchema(schemaOf(prompt.variables, undefined, { boundsInText: true }), `${name}:values`)
}

/** The JSON Schema of a prompt's answer; that of a text where it has no output. */
export function answerSchema({ name, prompt }: Wording): JsonSchema {
  const schemas = prompt.outputs.map((output) => innerSchema(prompt.outline(output)?.schema() ?? {}, `${name}:${output}`))
  return schemas.length > 1 ? { anyOf: schemas } : (schemas[0] ?? { type: 'string' })
}
