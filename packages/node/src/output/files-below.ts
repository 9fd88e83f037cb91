import { readdir } from 'node:fs/promises'
import { join, relative } from 'node:path'

/** The paths of all files below a folder, from there, in order; none if there is no such folder. */
export async function filesBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(() => [])
  return entries
    .filter((entry) => entry.isFile())
    .map((entry) => relative(folder, join(entry.parentPath, entry.name)))
    .sort()
}
