import { join } from 'node:path'
import { ProblemError, type Batch, type BatchRecord, type BatchRows, type Pool, type Problem, type TableModel } from 'dunelight'
import { Misread, type Row } from '@dunelight/tables'
import { readTable, type TableFile, type TableOptions, type TableSource } from './open-table.js'

/** The records of some rows of a table; rows that a condition leaves out are not among them. */
export interface RecordChunk {
  readonly headings: readonly string[]
  /** Made one after the other, as they are asked for: what has been written need not be held. */
  readonly records: Iterable<BatchRecord>
  readonly bytesRead: number
  /** How many rows they are made of, those that are left out among them. */
  readonly rows: number
}

export interface RecordsOptions extends TableOptions {
  /** Joined tables that have been read already. */
  readonly pools?: readonly Pool[]
  /** Hears what is worth saying about the columns. */
  readonly onHeading?: (problems: readonly Problem[]) => void
}

/**
 * A table's rows as records of a batch, a part of the table at a time.
 *
 * @throws ProblemError where the table cannot be read, or where a column that every row needs is missing.
 */
export async function* readRecords(batch: Batch, source: TableSource, options: RecordsOptions = {}): AsyncGenerator<RecordChunk> {
  const maker = new RecordMaker(batch, options)
  for await (const { headings, rows, bytesRead } of readTable(source, options)) {
    yield { headings, records: maker.records(headings, rows), bytesRead, rows: rows.length }
  }
}

/** Makes records of rows, and counts them. */
export class RecordMaker {
  private reader: BatchRows | undefined
  private headings: readonly string[] | undefined

  constructor(
    private readonly batch: Batch,
    private readonly options: Pick<RecordsOptions, 'pools' | 'onHeading'>,
    /** The rows before. */
    private row = 0,
  ) {}

  /** @throws ProblemError where a column that every row needs is missing. */
  records(headings: readonly string[], rows: readonly (Row | Misread)[]): Iterable<BatchRecord> {
    const first = this.row + 1
    this.row += rows.length
    return recordsOf(this.readerFor(headings), rows, first)
  }

  private readerFor(headings: readonly string[]): BatchRows {
    if (this.reader && headings === this.headings) return this.reader
    const next = this.batch.rows(headings, this.options.pools ?? [])
    // Headings that come later, with records that have further keys, are no reason to end.
    if (!this.reader) {
      if (next.problems.some((p) => p.severity === 'error')) throw new ProblemError(next.problems)
      this.options.onHeading?.(next.problems)
    }
    this.headings = headings
    this.reader = next
    return next
  }
}

function* recordsOf(reader: BatchRows, rows: readonly (Row | Misread)[], first: number): Generator<BatchRecord> {
  let row = first
  for (const cells of rows) {
    const record = cells instanceof Misread ? unread(cells, row) : reader.read(cells, row)
    row++
    if (record) yield record
  }
}

function unread({ problem, raw }: Misread, row: number): BatchRecord {
  return { row, id: String(row), named: false, cells: [], raw, prepared: undefined, problems: [problem], path: undefined }
}

/**
 * The joined tables of a batch, read into memory.
 *
 * @throws ProblemError where one cannot be read, or lacks the columns that it is joined by.
 */
export async function readPools(batch: Batch, folder: string, options: TableOptions = {}): Promise<readonly Pool[]> {
  const pools = batch.pools()
  for (const pool of pools) {
    let row = 1
    for await (const { headings, rows } of readTable(tableFile(folder, pool.join), options)) {
      const cells = rows.filter((one): one is Row => !(one instanceof Misread))
      const problems = pool.add(headings, cells, row)
      if (problems.length > 0) throw new ProblemError(problems)
      row += rows.length
    }
  }
  return pools
}

/** The table that a batch of a library's folder speaks of. */
export function tableFile(folder: string, { path, format, sheet, query }: TableModel): TableFile {
  return {
    from: join(folder, path),
    ...(format && { format }),
    ...(sheet !== undefined && { sheet }),
    ...(query !== undefined && { query }),
  }
}
