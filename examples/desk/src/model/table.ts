import { Misread, readTextTable, textFormatOf, type TextFormat } from '@dunelight/tables'
import { ProblemError, type FileValue, type Problem } from 'dunelight'
import { FirstRows, problem } from 'dunelight/host'

/** A table as it was read: nothing of it is a value yet. */
export interface DeskTable {
  readonly name: string
  readonly headings: readonly string[]
  /** The heading of the column that names the records, where one does. */
  readonly named: string | undefined
  readonly rows: readonly (readonly unknown[])[]
  /** Rows that could not be cut into cells, by their place. */
  readonly misread: ReadonlyMap<number, Problem>
  /** Problems of the table as a whole. */
  readonly problems: readonly Problem[]
  /** Whether the table has more rows than are kept here. */
  readonly cut: boolean
  /** The documents that its cells name, as far as they are read; a text says why one could not be. */
  readonly documents: ReadonlyMap<string, FileValue | string>
}

/** What a table begins with. */
export const NO_DOCUMENTS: DeskTable['documents'] = new Map()

/** Rows beyond these are for a run, not for searching. */
export const MOST_ROWS = 200_000

/** What the server reads, and the page by itself does not. */
const OTHER_TABLE = /\.(?:xlsx?|ods|parquet|sqlite3?|db|zip|gz|pdf)$/i
const ONLY_TEXT = 'only tables of text can be dropped; put it into the library’s folder “data”, or save it as CSV'

/** Reads a table as it streams in. What keeps it from being read stands in its problems, never thrown. */
export async function readDeskTable(stream: ReadableStream<Uint8Array>, name: string, format?: string): Promise<DeskTable> {
  const rows: (readonly unknown[])[] = []
  const misread = new Map<number, Problem>()
  const problems: Problem[] = []
  const first = new FirstRows()
  let headings: readonly string[] = []
  let cut = false
  try {
    const kind = (format as TextFormat | undefined) ?? textFormatOf(name) ?? 'csv'
    if (format === undefined && OTHER_TABLE.test(name)) throw new ProblemError([problem('file-unreadable', { file: name, why: ONLY_TEXT })])
    for await (const part of readTextTable(stream, kind, { name, notice: (p) => problems.push(p) })) {
      headings = part.headings
      for (const row of part.rows) {
        if (row instanceof Misread) misread.set(rows.length, row.problem)
        else first.add(row)
        rows.push(row instanceof Misread ? [] : row)
      }
      cut = rows.length >= MOST_ROWS
      if (cut) break
    }
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    problems.push(...fault.problems)
  }
  return { name, headings, named: first.idHeading(headings), rows, misread, problems, cut, documents: NO_DOCUMENTS }
}
