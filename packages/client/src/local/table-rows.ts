import type { CaseRows } from 'dunelight/host'
import { caseRows, readTextList, readTextTable } from '@dunelight/tables'

/** The rows of a table that an example set takes its cases from; a text is the reason why they cannot be read. */
export function tableRows(path: string, bytes: Uint8Array): Promise<CaseRows | string> {
  const source = new Blob([new Uint8Array(bytes)]).stream()
  return caseRows(path, {
    table: (format) => readTextTable(source, format, { name: path }),
    list: (format) => readTextList(source, format, { name: path, of: 'cases' }),
  })
}
