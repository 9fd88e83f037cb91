import { execFile, spawn } from 'node:child_process'
import { promisify } from 'node:util'
import { isLibraryFile } from './library-files.js'

/** The library's files as they are in the last commit. */
export interface Committed {
  /** The first line of the commit's message, and when it was made. */
  readonly title: string
  readonly at: string
  readonly files: Readonly<Record<string, string>>
}

/** Files of a commit that are read: a library has no more. */
const MOST_FILES = 5000
/** Nothing that a repository's own settings name is run. */
const SAFE = ['-c', 'core.fsmonitor=false', '-c', 'core.hooksPath=/dev/null', '--no-pager']

/** The texts of the last commit; undefined where the folder is in no repository, or nothing is committed yet. */
export async function committedTexts(root: string): Promise<Committed | undefined> {
  try {
    const git = async (...words: string[]) =>
      (await promisify(execFile)('git', [...SAFE, ...words], { cwd: root, maxBuffer: 1 << 26 })).stdout
    const [at = '', title = ''] = (await git('show', '--no-patch', '--no-textconv', '--format=%cI%x00%s', 'HEAD')).trimEnd().split('\0')
    const entries = (await git('ls-tree', '-r', '-z', 'HEAD', '.')).split('\0').flatMap((entry) => {
      const [, id, path] = /^100\d+ blob ([\da-f]+)\t(.+)$/s.exec(entry) ?? []
      return id !== undefined && path !== undefined && isLibraryFile(path) ? [{ id, path }] : []
    })
    const some = entries.slice(0, MOST_FILES)
    const texts = await blobs(
      root,
      some.map(({ id }) => id),
    )
    return { at, title, files: Object.fromEntries(some.map(({ path }, i) => [path, texts[i] ?? ''])) }
  } catch {
    // No Git, no repository, no commit: there is nothing to compare with.
    return undefined
  }
}

/** The content of objects, in the order of their ids. */
async function blobs(root: string, ids: readonly string[]): Promise<readonly string[]> {
  const child = spawn('git', [...SAFE, 'cat-file', '--batch'], { cwd: root, stdio: ['pipe', 'pipe', 'ignore'] })
  const ended = new Promise<void>((resolve, reject) => {
    child.once('error', reject)
    child.once('close', () => resolve())
  })
  child.stdin.on('error', () => undefined)
  child.stdin.end(ids.map((id) => `${id}\n`).join(''))
  const parts: Buffer[] = []
  for await (const part of child.stdout) parts.push(part as Buffer)
  await ended
  const all = Buffer.concat(parts)
  const texts: string[] = []
  // Each is a line with its size, its bytes, and a line break.
  for (let offset = 0; offset < all.length;) {
    const newline = all.indexOf(10, offset)
    const size = Number(all.toString('latin1', offset, newline).split(' ')[2])
    texts.push(all.toString('utf8', newline + 1, newline + 1 + size))
    offset = newline + 2 + size
  }
  return texts
}
