import { mkdir, realpath, stat } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { replaceFile, WriteFault } from '../output/files.js'
import { reason } from '../output/reason.js'
import { Lease } from '../runs/lease.js'
import { EDITIONS } from '../snapshots/edition-folder.js'

/** How long another process may work on the editions before a command gives up, in milliseconds. */
const PATIENCE = 10_000
const PAUSE = 50

/**
 * Does something to the editions of a library while no other process does.
 *
 * @throws ProblemError if another process does not finish.
 */
export async function editing<T>(folder: string, act: (root: string) => Promise<T>): Promise<T> {
  const root = await realpath(folder)
  await mkdir(join(root, EDITIONS), { recursive: true })
  const lease = await take(join(root, EDITIONS))
  try {
    // Line ends are a part of what is signed: Git must not change them.
    const attributes = join(root, EDITIONS, '.gitattributes')
    if (!(await stat(attributes).catch(() => undefined))) await replaceFile(attributes, '* -text\n')
    return await act(root)
  } finally {
    await lease.release()
  }
}

async function take(folder: string): Promise<Lease> {
  for (let waited = 0; ; waited += PAUSE) {
    const taken = await Lease.take(folder)
    if (taken instanceof Lease) return taken
    if (waited >= PATIENCE) throw new ProblemError([problem('editions-busy', { holder: `process ${taken.process} on ${taken.host}` })])
    await new Promise((resolve) => setTimeout(resolve, PAUSE))
  }
}

/** Writes a file below the library's folder, whole or not at all. */
export async function store(root: string, path: string, content: string | Uint8Array): Promise<void> {
  try {
    await mkdir(dirname(join(root, path)), { recursive: true })
    await replaceFile(join(root, path), content)
  } catch (fault) {
    throw new WriteFault(path, reason(fault), { cause: fault })
  }
}
