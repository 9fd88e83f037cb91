import { printTypes } from 'dunelight'
import { openToLook } from '../open.js'
import { writeResult } from '../result-file.js'
import { EXIT, plural, type Surroundings } from '../surroundings.js'

export interface TypesFlags {
  readonly to?: string
  readonly overwrite?: boolean
}

/** The types of a library's prompts, for TypeScript: programs that call them are then checked by the compiler. */
export async function types(around: Surroundings, folder: string, flags: TypesFlags): Promise<number> {
  const library = await openToLook(folder)
  const text = printTypes(library)
  const left = library.promptNames().filter((name) => !library.isSound(name))
  if (flags.to === undefined) around.stdout.write(text)
  else {
    await writeResult(flags.to, text, flags.overwrite ?? false)
    around.stderr.write(`the types of ${plural(library.promptNames().length - left.length, 'prompt')} → ${flags.to}\n`)
  }
  if (left.length > 0) around.stderr.write(`left out for their errors: ${left.join(', ')} (dunelight check ${folder} shows them)\n`)
  return left.length > 0 ? EXIT.problems : EXIT.done
}
