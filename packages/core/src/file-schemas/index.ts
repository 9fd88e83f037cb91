import { assemblySchema } from './assembly.js'
import { batchSchema, envelopeSchema } from './batch.js'
import { librarySchema, modelsSchema } from './library.js'
import { outputSchema } from './output.js'
import { exampleSetSchema, personaSchema, snippetSchema } from './parts.js'
import { promptSchema } from './prompt.js'
import { DRAFT, type JsonSchema } from '../interop/to-schema.js'

export type { JsonSchema }

/** A kind of a library's files, and how such a file is written. */
export interface FileKind {
  /** `prompt`, `example-set`: what its schema's file is called. */
  readonly name: string
  /** Which files are of this kind, below the library's folder. */
  readonly files: string
  /** A JSON Schema (2020-12), for editors that complete and check by one. It cannot express what depends on the whole library. */
  readonly schema: JsonSchema
}

/**
 * All kinds of files of a library, built from the keys that their readers accept.
 *
 * @example FILE_KINDS.map(({ name }) => name)[0] // => 'prompt'
 */
export const FILE_KINDS: readonly FileKind[] = [
  kind('prompt', 'prompts/**/*.yaml', promptSchema),
  kind('snippet', 'snippets/**/*.yaml', snippetSchema),
  kind('persona', 'personas/**/*.yaml', personaSchema),
  kind('example-set', 'examples/**/*.yaml', exampleSetSchema),
  kind('output', 'outputs/**/*.yaml', outputSchema),
  kind('assembly', 'assemblies/**/*.yaml', assemblySchema),
  kind('batch', 'batches/**/*.yaml', batchSchema),
  kind('envelope', 'envelopes/**/*.yaml', envelopeSchema),
  kind('library', 'dunelight.yaml', librarySchema),
  kind('models', 'models.yaml', modelsSchema),
]

function kind(name: string, files: string, schema: JsonSchema): FileKind {
  return { name, files, schema: { $schema: DRAFT, title: `Dunelight: ${name.replace('-', ' ')}`, ...schema } }
}
