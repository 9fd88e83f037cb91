import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { basename, join } from 'node:path'
import type { CaseRows } from 'dunelight/host'
import { caseRows } from '@dunelight/tables'
import { readList, readTable } from './open-table.js'

/** The rows of a table that an example set takes its cases from: CSV, TSV, JSON Lines, JSON or YAML; a text is the reason why they cannot be read. */
export function readCaseRows(path: string): Promise<CaseRows | string> {
  return caseRows(path, { table: () => readTable(path), list: () => readList(path, 'cases') })
}

/** The same for a table's bytes; the path tells what it is. */
export async function caseRowsOf(path: string, bytes: Uint8Array): Promise<CaseRows | string> {
  const folder = await mkdtemp(join(tmpdir(), 'dunelight-table-'))
  try {
    const file = join(folder, basename(path))
    await writeFile(file, bytes)
    return await readCaseRows(file)
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
