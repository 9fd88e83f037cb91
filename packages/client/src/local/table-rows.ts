import { ProblemError } from 'dunelight'
import { cellText } from 'dunelight/parts'
import type { CaseRows } from 'dunelight/host'
import { Misread, readTextList, readTextTable, textFormatOf } from '@dunelight/tables'

/** The rows of a table that an example set takes its cases from; a text is the reason why they cannot be read. */
export async function tableRows(path: string, bytes: Uint8Array): Promise<CaseRows | string> {
  const format = textFormatOf(path)
  if (format === undefined) return 'cases are read from .csv, .tsv, .jsonl, .json and .yaml'
  const source = new Blob([new Uint8Array(bytes)]).stream()
  try {
    if (format === 'csv' || format === 'tsv') {
      const all: (readonly string[])[] = []
      let columns: readonly string[] = []
      for await (const { headings, rows } of readTextTable(source, format, { name: path })) {
        columns = headings
        for (const row of rows) if (!(row instanceof Misread)) all.push(row.map(cellText))
      }
      return { kind: 'cells', headings: columns, rows: all }
    }
    const records: unknown[] = []
    for await (const { items } of readTextList(source, format, { name: path, of: 'cases' }))
      for (const item of items) {
        if (item instanceof Misread) return item.problem.message
        records.push(item)
      }
    return { kind: 'records', records }
  } catch (fault) {
    if (fault instanceof ProblemError) return fault.message
    throw fault
  }
}
