import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { basename, join } from 'node:path'
import { ProblemError, type Problem } from 'dunelight'
import { cellText } from 'dunelight/parts'
import type { CaseRows } from 'dunelight/host'
import { Misread } from '@dunelight/tables'
import { readList, readTable } from './open-table.js'

/** The rows of a table that an example set takes its cases from: CSV, TSV, JSON Lines, JSON or YAML; a text is the reason why they cannot be read. */
export async function readCaseRows(path: string): Promise<CaseRows | string> {
  const ending = /\.(\w+)$/.exec(path)?.[1]?.toLowerCase() ?? ''
  try {
    if (ending === 'csv' || ending === 'tsv') return await readCells(path)
    if (['jsonl', 'json', 'yaml'].includes(ending)) return await readRecords(path)
    return 'cases are read from .csv, .tsv, .jsonl, .json and .yaml'
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    return fault.problems.map(withoutFile).join('; ')
  }
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

/** Why a file cannot be read, for a sentence that names it already. */
function withoutFile(p: Problem): string {
  if (p.code === 'table-empty') return 'it has no headings and no rows'
  return p.code === 'file-unreadable' ? p.data.why : p.message
}

async function readCells(path: string): Promise<CaseRows> {
  const all: (readonly string[])[] = []
  let columns: readonly string[] = []
  for await (const { headings, rows } of readTable(path)) {
    columns = headings
    for (const row of rows) if (!(row instanceof Misread)) all.push(row.map(cellText))
  }
  return { kind: 'cells', headings: columns, rows: all }
}

/** Records as plain data: numbers stay numbers. */
async function readRecords(path: string): Promise<CaseRows> {
  const records: unknown[] = []
  for await (const { items } of readList(path, 'cases')) {
    for (const item of items) {
      if (item instanceof Misread) throw new ProblemError([item.problem])
      records.push(item)
    }
  }
  return { kind: 'records', records }
}
