import { readFile } from 'node:fs/promises'
import { ProblemError } from 'dunelight'
import { exactNumber, problem, defined } from 'dunelight/host'
import { unreadable, type Row, type TableRows } from '@dunelight/tables'

const SOME = 1024

/** The rows of a query in a database file; without a query, of its one table. The file is read into memory and never written. */
export async function* sqliteTable(path: string, query: string | undefined): AsyncGenerator<TableRows> {
  const bytes = await readFile(path)
  if (bytes.subarray(0, 15).toString('latin1') !== 'SQLite format 3') unreadable(path, 'it is not an SQLite file')
  const { default: open } = await import('sql.js')
  const engine = await open()
  const database = new engine.Database(bytes)
  try {
    const asked = query ?? `SELECT * FROM "${onlyTable(path, tablesOf(database)).replace(/"/g, '""')}"`
    const statement = prepared(path, database, asked)
    const headings = statement.getColumnNames()
    if (headings.length === 0) unreadable(path, 'the query finds no columns; it must be one that reads, such as SELECT * FROM objects')
    let rows: Row[] = []
    let any = false
    while (statement.step()) {
      any = true
      rows.push(cellsOf(statement).map(cellOf))
      if (rows.length < SOME) continue
      yield { headings, rows, bytesRead: 0 }
      rows = []
    }
    if (rows.length > 0 || !any) yield { headings, rows, bytesRead: bytes.length }
  } finally {
    database.close()
  }
}

/** Whole numbers as `bigint`, which the types of the package leave out. */
function cellsOf(statement: { get: () => readonly unknown[] }): readonly unknown[] {
  return (statement.get as (values: null, options: { useBigInt: boolean }) => readonly unknown[])(null, { useBigInt: true })
}

function cellOf(value: unknown): unknown {
  if (typeof value === 'bigint') return exactNumber(String(value))
  return value instanceof Uint8Array ? Buffer.from(value).toString('base64') : value
}

type Engine = Awaited<ReturnType<(typeof import('sql.js'))['default']>>
type Database = InstanceType<Engine['Database']>

function prepared(path: string, database: Database, query: string) {
  if (!/^\s*(?:SELECT|WITH|VALUES)\b/i.test(query)) unreadable(path, 'a query must be read-only: start it with SELECT')
  try {
    return database.prepare(query)
  } catch (fault) {
    const message = fault instanceof Error ? fault.message : String(fault)
    throw new ProblemError([problem('query-invalid', { file: path, detail: message, tables: tablesOf(database) })])
  }
}

function tablesOf(database: Database): string[] {
  const [result] = database.exec(
    "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite_%' ORDER BY name",
  )
  return result?.values.map(([name]) => String(name)) ?? []
}

function onlyTable(path: string, tables: readonly string[]): string {
  const [only] = tables
  if (tables.length === 1) return defined(only)
  if (tables.length === 0) throw new ProblemError([problem('table-empty', { file: path })])
  return unreadable(path, `it has several tables (${tables.join(', ')}); choose one with a query: SELECT * FROM ${defined(only)}`)
}
