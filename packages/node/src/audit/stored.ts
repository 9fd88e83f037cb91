import { readdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Turn } from 'dunelight'
import { AUDIT } from './audit-line.js'
import { daysOf } from './writer.js'

/** What was sent and what came back; what was masked is masked here too. */
export interface StoredExchange {
  readonly turns: readonly Turn[]
  readonly reply?: string
}

const FOLDER = 'stored'
const DAY_MS = 24 * 60 * 60_000

/** The path of a stored exchange: a file of its own, which can be deleted without a change of the chain. */
export function storedPath(day: string, writer: string, seq: number): string {
  return join(AUDIT, day, FOLDER, `${writer}-${seq}.json`)
}

/**
 * Deletes what was stored more than so long ago.
 *
 * @param days - The retention time.
 * @returns How many files were deleted.
 */
export async function removeStored(root: string, days: number): Promise<number> {
  const oldest = new Date(Date.now() - days * DAY_MS).toISOString().slice(0, 10)
  let removed = 0
  for (const day of await daysOf(root)) {
    if (day >= oldest) break
    const folder = join(root, AUDIT, day, FOLDER)
    removed += (await readdir(folder).catch(() => [])).length
    await rm(folder, { recursive: true, force: true })
  }
  return removed
}
