import { mkdir, readdir, readFile, rename, rm, rmdir } from 'node:fs/promises'
import { dirname, join, relative, resolve, sep } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { writeNew } from '../output/files.js'

/**
 * Makes a library as a copy of another, whole or not at all.
 *
 * @returns The paths of its files, below the folder.
 * @throws ProblemError if there is something at the folder already.
 */
export async function copyLibrary(template: string, folder: string): Promise<readonly string[]> {
  const target = resolve(folder)
  const there = await readdir(target).catch((fault: unknown) => ((fault as { code?: string }).code === 'ENOENT' ? undefined : ['a file']))
  if (there && there.length > 0) throw new ProblemError([problem('folder-taken', { folder })])
  const entries = await readdir(template, { recursive: true, withFileTypes: true })
  const paths = entries
    .filter((entry) => entry.isFile())
    .map((entry) => relative(template, join(entry.parentPath, entry.name)))
    .sort()
  const beside = `${target}.${process.pid}.new`
  try {
    for (const path of paths) {
      await mkdir(dirname(join(beside, path)), { recursive: true })
      await writeNew(join(beside, path), await readFile(join(template, path)))
    }
    if (there) await rmdir(target)
    await rename(beside, target)
  } catch (fault) {
    await rm(beside, { recursive: true, force: true })
    throw fault
  }
  return paths.map((path) => path.split(sep).join('/'))
}
