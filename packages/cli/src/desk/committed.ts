import { ProblemError } from 'dunelight'
import { Git } from '@dunelight/node/host'
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

/** The texts of the last commit; undefined where the folder is in no repository, or nothing is committed yet. */
export async function committedTexts(root: string): Promise<Committed | undefined> {
  const git = await Git.openIfAny(root)
  if (!git) return undefined
  try {
    const head = await git.head()
    if (head === undefined || (await git.treeAt(head)) === undefined) return undefined
    const { time, subject } = await git.commit(head)
    const some = [...(await git.filesAt(head))].filter(([path]) => isLibraryFile(path)).slice(0, MOST_FILES)
    const texts = await Promise.all(some.map(async ([path, id]): Promise<[string, string]> => [path, await git.text(id)]))
    return { at: time, title: subject, files: Object.fromEntries(texts) }
  } catch (fault) {
    // A damaged repository is no reason to show nothing.
    if (fault instanceof ProblemError) return undefined
    throw fault
  } finally {
    git.close()
  }
}
