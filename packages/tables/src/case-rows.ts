import { ProblemError, type Problem } from 'dunelight'
import { cellText } from 'dunelight/parts'
import type { CaseRows } from 'dunelight/host'
import { Misread } from './misread.js'
import type { ListFormat } from './read-table.js'
import type { ListItems, TableRows } from './table.js'

/** How a table is read, by what it is. */
export interface CaseReading {
  readonly table: (format: 'csv' | 'tsv') => AsyncIterable<TableRows>
  readonly list: (format: ListFormat) => AsyncIterable<ListItems>
}

/** The rows of a table that an example set takes its cases from; a text is the reason why they cannot be read. */
export async function caseRows(path: string, { table, list }: CaseReading): Promise<CaseRows | string> {
  const ending = /\.(\w+)$/.exec(path)?.[1]?.toLowerCase() ?? ''
  try {
    if (ending === 'csv' || ending === 'tsv') return await cells(table(ending))
    if (ending === 'jsonl' || ending === 'json' || ending === 'yaml') return await records(list(ending))
    return 'cases are read from .csv, .tsv, .jsonl, .json and .yaml'
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    return fault.problems.map(withoutFile).join('; ')
  }
}

/** Why a file cannot be read, for a sentence that names it already. */
function withoutFile(p: Problem): string {
  if (p.code === 'table-empty') return 'it has no headings and no rows'
  return p.code === 'file-unreadable' ? p.data.why : p.message
}

async function cells(chunks: AsyncIterable<TableRows>): Promise<CaseRows> {
  const all: (readonly string[])[] = []
  let columns: readonly string[] = []
  for await (const { headings, rows } of chunks) {
    columns = headings
    for (const row of rows) if (!(row instanceof Misread)) all.push(row.map(cellText))
  }
  return { kind: 'cells', headings: columns, rows: all }
}

/** Records as plain data: numbers stay numbers. */
async function records(chunks: AsyncIterable<ListItems>): Promise<CaseRows> {
  const all: unknown[] = []
  for await (const { items } of chunks) {
    for (const item of items) {
      if (item instanceof Misread) throw new ProblemError([item.problem])
      all.push(item)
    }
  }
  return { kind: 'records', records: all }
}
