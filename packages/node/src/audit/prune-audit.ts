import { readFile, realpath } from 'node:fs/promises'
import { join } from 'node:path'
import { replaceFile } from '../output/files.js'
import { removeStored } from './stored.js'

/** The answers that the library keeps, so that none is paid for twice. */
const CACHE = join('answers', 'cache.jsonl')
const DAY_MS = 24 * 60 * 60_000

/**
 * Deletes stored exchanges and cached answers after their retention time. The chain of the audit stays as it is. Nothing may be asked meanwhile:
 * a process that asks would not see the new file of the cache.
 *
 * @param days - The retention time.
 */
export async function pruneAudit(folder: string, days: number): Promise<{ readonly exchanges: number; readonly answers: number }> {
  const root = await realpath(folder)
  const exchanges = await removeStored(root, days)
  return { exchanges, answers: await pruneAnswers(join(root, CACHE), days) }
}

/** Deletes the cached answers of a file after their retention time; returns how many. No process may have the file open. */
export async function pruneAnswers(path: string, days: number): Promise<number> {
  const text = await readFile(path, 'utf8').catch((fault: unknown) => {
    if ((fault as NodeJS.ErrnoException).code === 'ENOENT') return ''
    throw fault
  })
  const oldest = new Date(Date.now() - days * DAY_MS).toISOString()
  const lines = text.split('\n').filter(Boolean)
  const kept = lines.filter((line) => (timeOf(line) ?? oldest) >= oldest)
  if (kept.length < lines.length) await replaceFile(path, kept.map((line) => `${line}\n`).join(''))
  return lines.length - kept.length
}

function timeOf(line: string): string | undefined {
  try {
    return (JSON.parse(line) as { readonly at?: string }).at
  } catch {
    return undefined
  }
}
