import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { FILE_KINDS } from 'dunelight/file-schemas'
import { reason } from '@dunelight/node/host'
import { defineCommand } from '../define-command.js'
import { exists, writeResult } from '../ui/result-file.js'
import { EXIT, WrongUse, type CommandContext } from '../ui/context.js'

interface FileSchemasFlags {
  readonly to?: string
  readonly overwrite?: boolean
}

export const fileSchemasCommand = defineCommand({
  name: 'file-schemas',
  group: 'Export',
  about: 'Print the JSON Schemas of a library’s files, for completion and checks in editors.',
  arguments: [],
  options: [
    ['--to <folder>', 'write one file per kind to this folder'],
    ['--overwrite', 'replace existing files'],
  ],
  examples: ['file-schemas --to schemas'],
  run: (context, _, flags: FileSchemasFlags) => fileSchemas(context, flags),
})

/** The schemas of a library's own files, by their kind, or each in a file. */
async function fileSchemas(context: CommandContext, { to, overwrite = false }: FileSchemasFlags): Promise<number> {
  if (to === undefined) {
    const all = Object.fromEntries(FILE_KINDS.map(({ name, files, schema }) => [name, { files, schema }]))
    context.stdout.write(`${JSON.stringify(all, null, 2)}\n`)
    return EXIT.done
  }
  const written = FILE_KINDS.map(({ name, files, schema }) => ({ files, path: join(to, `${name}.schema.json`), schema }))
  await mkdir(to, { recursive: true }).catch((fault: unknown) => {
    throw new WrongUse(`cannot make the folder ${to}: ${reason(fault)}`)
  })
  for (const { path } of written)
    if (!overwrite && (await exists(path))) throw new WrongUse(`${path} exists already`, 'choose another folder, or add --overwrite')
  for (const { path, schema } of written) await writeResult(path, `${JSON.stringify(schema, null, 2)}\n`, overwrite)
  const width = Math.max(...written.map(({ files }) => files.length))
  for (const { path, files } of written) context.stderr.write(`${files.padEnd(width)}  ${path}\n`)
  return EXIT.done
}
