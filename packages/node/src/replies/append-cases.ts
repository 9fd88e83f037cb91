import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import Papa from 'papaparse'
import { parseDocument } from 'yaml'
import { ProblemError } from 'dunelight'
import { cellText } from 'dunelight/parts'
import { foldHeading, problem, type PreparedSet } from 'dunelight/host'
import { delimiterOf, type TableRows } from '@dunelight/tables'
import { replaceFile } from '../output/files.js'
import { reason } from '../output/reason.js'
import { readTable } from '../sources/open-table.js'

/** A case to be added: its fields, and the other cells of its row, for the columns of the table. */
export interface AddedCase {
  readonly values: Readonly<Record<string, unknown>>
  readonly beside: Readonly<Record<string, unknown>>
}

/**
 * Adds cases to a set: to the table that it takes its cases from, else to its own file, comments kept. The file is written whole next to the
 * old one and takes its place in one step.
 *
 * @returns the file's path, below the library's folder
 * @throws ProblemError where the file cannot be written, or is of a kind that is not added to.
 */
export async function appendCases(folder: string, set: PreparedSet['model'], cases: readonly AddedCase[]): Promise<string> {
  const path = set.from?.path ?? set.file.name
  const whole = join(folder, path)
  const unwritten = (why: string): never => {
    throw new ProblemError([problem('file-unreadable', { file: path, why })])
  }
  try {
    const before = await readFile(whole, 'utf8')
    const after = set.from ? await withRows(whole, before, cases) : withItems(before, cases)
    if (after === undefined) return unwritten('cases are added to .csv, .tsv and .jsonl tables, and to the set’s own file')
    await replaceFile(whole, after)
  } catch (fault) {
    if (fault instanceof ProblemError) throw fault
    unwritten(reason(fault))
  }
  return path
}

async function withRows(path: string, before: string, cases: readonly AddedCase[]): Promise<string | undefined> {
  // New rows end as the table's own do.
  const newline = before.includes('\r\n') ? '\r\n' : '\n'
  const ended = before === '' || before.endsWith('\n') ? before : `${before}${newline}`
  if (path.endsWith('.jsonl')) return `${ended}${cases.map((addedCase) => `${JSON.stringify(addedCase.values)}${newline}`).join('')}`
  if (!/\.[ct]sv$/.test(path)) return undefined
  const { headings } = (await readTable(path).next()).value as TableRows
  const cells = cases.map(({ values, beside }) => {
    const all = new Map([...Object.entries(beside), ...Object.entries(values)].map(([name, value]) => [foldHeading(name), value]))
    return headings.map((heading) => cellOf(all.get(foldHeading(heading))))
  })
  return `${ended}${Papa.unparse(cells, { delimiter: delimiterOf(before), newline })}${newline}`
}

/** A list of texts as people write it. */
function cellOf(value: unknown): string {
  return Array.isArray(value) && value.every((value) => typeof value === 'string') ? value.join('; ') : cellText(value)
}

function withItems(before: string, cases: readonly AddedCase[]): string {
  const document = parseDocument(before, { version: '1.2' })
  if (!document.has('cases')) document.set('cases', document.createNode([]))
  for (const addedCase of cases)
    document.addIn(
      ['cases'],
      document.createNode(
        Object.fromEntries(Object.entries(addedCase.values).filter(([, value]) => value !== null && value !== undefined)),
      ),
    )
  return document.toString({ lineWidth: 0 })
}
