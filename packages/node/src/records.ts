import { problem, ProblemError, type PreparedValues, type Problem, type Prompt, type PromptRows } from 'dunelight'
import { readCsv } from './csv.js'

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
  readonly prepared: PreparedValues | undefined
  readonly problems: readonly Problem[]
}

/** The rows of one chunk of the file. */
export interface RecordChunk {
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
  let row = 0
  for await (const { rows, bytesRead } of readCsv(file)) {
    let from = 0
    if (!reader) {
      const headings = (rows[0] ?? []).map((cell) => cell.trim())
      reader = prompt.reader(headings, options.given, options.locale)
      const errors = reader.problems.filter((p) => p.severity === 'error')
      if (errors.length > 0) throw new ProblemError(reader.problems)
      onHeading?.(reader.problems)
      from = 1
    }
    const records: RecordRow[] = []
    for (const cells of rows.slice(from)) {
      row++
      records.push({ row, id: reader.id(cells, row), ...reader.read(cells, row) })
    }
    yield { records, bytesRead }
  }
  if (!reader) throw new ProblemError([problem('table-empty', { file })])
}
