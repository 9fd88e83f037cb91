import { readdir } from 'node:fs/promises'
import { dirname, join, relative } from 'node:path'
import { WrongUse } from '../ui/context.js'

/** The library that the current folder is in: the nearest folder upwards with `dunelight.yaml`, or with prompts. */
export async function libraryAround(from = process.cwd()): Promise<string> {
  for (let folder = from; ; folder = dirname(folder)) {
    if (await isLibrary(folder)) return relative(from, folder) || '.'
    if (dirname(folder) === folder) break
  }
  throw new WrongUse('no library is named, and the current folder is in none', 'name the folder that has dunelight.yaml')
}

/** Whether a folder is a library's. */
export async function isLibrary(folder: string): Promise<boolean> {
  const names = await readdir(folder).catch((): string[] => [])
  const prompts = names.includes('prompts') ? await readdir(join(folder, 'prompts')).catch((): string[] => []) : []
  // A folder of this name with other files may be anything.
  return names.includes('dunelight.yaml') || prompts.some((name) => name.endsWith('.yaml'))
}
