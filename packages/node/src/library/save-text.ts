import { createHash } from 'node:crypto'
import { mkdir, readFile, realpath, stat } from 'node:fs/promises'
import { dirname, join, sep } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { replaceFile } from '../output/files.js'
import { reason } from '../output/reason.js'

/** What came of a saving: done, or not begun since someone else has written the file meanwhile. */
export type Saved =
  | { readonly state: 'saved'; readonly mark: string }
  | { readonly state: 'changed'; readonly mark: string | null; readonly text: string | null }

/** The identity of a text: the same for the same text. */
export function markOfText(text: string): string {
  return createHash('sha256').update(text).digest('hex')
}

/**
 * Writes a text of a folder in one step, so that it is never half written, and never over what someone else wrote meanwhile: `was` is the mark
 * of the text that was edited, null where there was none.
 *
 * @throws ProblemError where the path leaves the folder or cannot be written.
 */
export async function saveText(root: string, path: string, text: string, was: string | null): Promise<Saved> {
  const place = join(root, path)
  const fail = (why: string) => new ProblemError([problem('file-unreadable', { file: path, why })])
  const known = await realpath(place).catch(() => undefined)
  if (known !== undefined && !known.startsWith(root + sep)) throw new ProblemError([problem('path-leaves-library', { path })])
  try {
    const now = known === undefined ? null : await readFile(known, 'utf8')
    const mark = now === null ? null : markOfText(now)
    if (mark !== was) return { state: 'changed', mark, text: now }
    await mkdir(dirname(place), { recursive: true })
    const folder = await realpath(dirname(place))
    if (folder !== root && !folder.startsWith(root + sep)) throw new ProblemError([problem('path-leaves-library', { path })])
    await replaceFile(known ?? place, text, known === undefined ? {} : { mode: (await stat(known)).mode })
  } catch (fault) {
    throw fault instanceof ProblemError ? fault : fail(reason(fault))
  }
  return { state: 'saved', mark: markOfText(text) }
}
