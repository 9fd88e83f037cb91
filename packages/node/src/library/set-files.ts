import { realpath } from 'node:fs/promises'
import { dirname, join, resolve, sep } from 'node:path'
import { ProblemError, type BatchModel, type Prompt } from 'dunelight'
import { problem } from 'dunelight/host'
import { readFileValue } from '../sources/file-value.js'

/**
 * What a batch sets for variables that take files: it names them by paths, from its own file, within the library.
 *
 * @throws ProblemError where one leads out of the library, or cannot be read.
 */
export async function filesThatItSets(prompt: Prompt, model: BatchModel, folder: string, limit: number): Promise<Record<string, unknown>> {
  const values: Record<string, unknown> = {}
  for (const [name, stated] of Object.entries(model.set)) {
    const declared = prompt.variables.find((d) => d.name === name)
    if (declared?.type.kind !== 'file' || typeof stated !== 'string' || stated.startsWith('data:')) continue
    const path = resolve(join(folder, dirname(model.file.name), stated))
    const real = await realpath(path).catch(() => path)
    if (!real.startsWith((await realpath(folder)) + sep)) throw new ProblemError([problem('path-leaves-library', { path: stated })])
    values[name] = await readFileValue(path, { limit })
  }
  return values
}
