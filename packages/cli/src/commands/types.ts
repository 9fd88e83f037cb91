import { printTypes } from 'dunelight/parts'
import { defineCommand, LIBRARY, OVERWRITE } from '../define-command.js'
import { openToRead } from '../flags/open-library.js'
import { writeResult } from '../ui/result-file.js'
import { EXIT, plural, type CommandContext } from '../ui/context.js'

interface TypesFlags {
  readonly to?: string
  readonly overwrite?: boolean
}

export const typesCommand = defineCommand({
  name: 'types',
  group: 'Export',
  about: 'Print the TypeScript types of a library’s prompts.',
  arguments: [LIBRARY],
  options: [['--to <file>', 'write to this file instead of stdout'], OVERWRITE],
  examples: ['types demo/marram-house --to src/prompts.d.ts'],
  run: (context, [folder], flags: TypesFlags) => types(context, folder, flags),
})

/** The types of a library's prompts, for TypeScript: programs that call them are then checked by the compiler. */
async function types(context: CommandContext, folder: string, flags: TypesFlags): Promise<number> {
  const library = await openToRead(folder)
  const text = printTypes(library)
  const left = library.promptNames().filter((name) => !library.canRender(name))
  if (flags.to === undefined) context.stdout.write(text)
  else {
    await writeResult(flags.to, text, flags.overwrite ?? false)
    context.stderr.write(`the types of ${plural(library.promptNames().length - left.length, 'prompt')} → ${flags.to}\n`)
  }
  if (left.length > 0) context.stderr.write(`left out for their errors: ${left.join(', ')} (dunelight check ${folder} shows them)\n`)
  return left.length > 0 ? EXIT.problems : EXIT.done
}
