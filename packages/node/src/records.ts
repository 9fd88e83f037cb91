import { ProblemError, type PreparedValues, type Problem, type Prompt, type PromptRows } from 'dunelight'
import { readTable } from './table.js'

export interface RecordsOptions {
  /** Values that are the same for every record. */
  readonly given?: Readonly<Record<string, unknown>>
  readonly locale?: string
}

/** One row of the table, with its values or with what is wrong with them. */
export interface RecordRow {
  /** Counted from 1 below the heading. */
  readonly row: number
  /** The cell of a column called number, id or the like, else the row's number. */
  readonly id: string
  /** The row as it stands in the table. */
  readonly cells: readonly string[]
  readonly prepared: PreparedValues | undefined
  readonly problems: readonly Problem[]
}

/** The rows of one chunk of the file. */
export interface RecordChunk {
  readonly headings: readonly string[]
  readonly records: readonly RecordRow[]
  readonly bytesRead: number
}

/**
 * Reads a table's rows as values of a prompt, chunk by chunk. `onHeading` hears what is worth saying about the columns.
 *
 * @throws ProblemError where the table cannot be read, or where a column that every row needs is missing.
 */
export async function* readRecords(
  file: string,
  prompt: Prompt,
  options: RecordsOptions = {},
  onHeading?: (problems: readonly Problem[]) => void,
): AsyncGenerator<RecordChunk> {
  let reader: PromptRows | undefined
  let known: readonly string[] | undefined
  let row = 0
  for await (const { headings, rows, bytesRead } of readTable(file)) {
    if (!reader || headings !== known) {
      const next = prompt.reader(headings, options.given, options.locale)
      // Headings that come later, with records that have further keys, are no reason to end.
      if (!reader) {
        if (next.problems.some((p) => p.severity === 'error')) throw new ProblemError(next.problems)
        onHeading?.(next.problems)
      }
      reader = next
      known = headings
    }
    const records: RecordRow[] = []
    for (const cells of rows) {
      row++
      records.push({ row, id: reader.id(cells, row), cells, ...reader.read(cells, row) })
    }
    yield { headings, records, bytesRead }
  }
}
