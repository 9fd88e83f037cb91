import { readdir, readFile, rename, rm, rmdir } from 'node:fs/promises'
import { join, resolve, sep } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { filesBelow } from '../output/files-below.js'
import { writeNew } from '../output/files.js'
import { newLibraryId } from '../snapshots/library-id.js'

const MAIN = 'dunelight.yaml'

/**
 * Makes a library as a copy of another, whole or not at all, with an id of its own.
 *
 * @returns The paths of its files, below the folder.
 * @throws ProblemError if there is something at the folder already.
 */
export async function copyLibrary(template: string, folder: string): Promise<readonly string[]> {
  const target = resolve(folder)
  const there = await readdir(target).catch((fault: unknown) => ((fault as { code?: string }).code === 'ENOENT' ? undefined : ['a file']))
  if (there && there.length > 0) throw new ProblemError([problem('folder-taken', { folder })])
  const paths = await filesBelow(template)
  const beside = `${target}.${process.pid}.new`
  try {
    for (const path of paths) {
      const bytes = await readFile(join(template, path))
      await writeNew(join(beside, path), path === MAIN ? `${bytes.toString('utf8').trimEnd()}\nid: ${newLibraryId()}\n` : bytes)
    }
    if (there) await moveInto(beside, target)
    else await rename(beside, target)
  } catch (fault) {
    await rm(beside, { recursive: true, force: true })
    throw fault
  }
  return paths.map((path) => path.split(sep).join('/'))
}

/** Moves all that a folder holds into an empty one, which stays the same folder: somebody may be in it. */
async function moveInto(folder: string, target: string): Promise<void> {
  const names = await readdir(folder)
  try {
    for (const name of names) await rename(join(folder, name), join(target, name))
    await rmdir(folder)
  } catch (fault) {
    for (const name of names) await rm(join(target, name), { recursive: true, force: true })
    throw fault
  }
}
