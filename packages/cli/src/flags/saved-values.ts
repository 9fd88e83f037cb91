import type { Library } from 'dunelight'
import { readRun, type RunFile } from '@dunelight/node'
import { libraryOf, wordingOfRun } from '@dunelight/node/host'
import { environmentApprovers, openToRender } from './open-library.js'
import { readSet } from './values.js'

/** A run’s file, its library, and the values that its options set, for the caller that continues it. */
export async function openRun(
  folder: string,
  env: NodeJS.ProcessEnv,
): Promise<{ file: RunFile; library: Library; values: Record<string, unknown> }> {
  const file = await readRun(folder)
  const { prompt, locale, set: stated } = file
  const library = await openToRender(libraryOf(folder, file), prompt.name, wordingOfRun(file, environmentApprovers(env)))
  const values = await readSet(library.inputOf(prompt.name), stated, { locale, limit: library.limits.attachmentBytes })
  return { file, library, values }
}
