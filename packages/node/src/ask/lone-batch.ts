import { batchModel, type Library, type PreparedValues } from 'dunelight'
import { Batch, type BatchRecord } from 'dunelight/host'

/** A batch of a prompt without a table: for records that come one at a time. */
export function loneBatch(
  library: Library,
  prompt: string,
  {
    seed,
    locale,
    tokens = false,
  }: { readonly seed?: number | undefined; readonly locale?: string | undefined; readonly tokens?: boolean } = {},
): Batch {
  const definition = batchModel({ prompt, records: { from: 'records' }, tokens, ...(seed !== undefined && { seed }) })
  const assembly = library.artefacts.assemblies.has(prompt) ? library.assembly(prompt) : undefined
  return new Batch(library.inputOf(prompt), definition, library, {}, locale, assembly)
}

/** A record that stands in no table. */
export function loneRecord(id: string, prepared: PreparedValues): BatchRecord {
  return { row: 1, id, named: true, cells: [], prepared, problems: [], path: undefined }
}
