import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { FILE_KINDS } from 'dunelight/file-schemas'
import { reason } from '@dunelight/node'
import { exists, writeResult } from '../result-file.js'
import { EXIT, WrongUse, type Surroundings } from '../surroundings.js'

export interface SchemasFlags {
  readonly to?: string
  readonly overwrite?: boolean
}

/** The schemas of a library's own files, by their kind, or each in a file. */
export async function schemas(around: Surroundings, { to, overwrite = false }: SchemasFlags): Promise<number> {
  const written = FILE_KINDS.map((kind) => ({
    ...kind,
    file: `${kind.name}.schema.json`,
    text: `${JSON.stringify(kind.schema, null, 2)}\n`,
  }))
  if (to === undefined) {
    const all = Object.fromEntries(FILE_KINDS.map(({ name, files, schema }) => [name, { files, schema }]))
    around.stdout.write(`${JSON.stringify(all, null, 2)}\n`)
    return EXIT.done
  }
  await mkdir(to, { recursive: true }).catch((fault: unknown) => {
    throw new WrongUse(`cannot make the folder ${to}: ${reason(fault)}`)
  })
  for (const { file } of written) {
    if (!overwrite && (await exists(join(to, file))))
      throw new WrongUse(`${join(to, file)} exists already`, 'choose another folder, or add --overwrite')
  }
  for (const { file, text } of written) await writeResult(join(to, file), text, overwrite)
  const width = Math.max(...written.map(({ files }) => files.length))
  for (const { file, files } of written) around.stderr.write(`${files.padEnd(width)}  ${join(to, file)}\n`)
  return EXIT.done
}
