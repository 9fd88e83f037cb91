import { join } from 'node:path'
import { ProblemError, type Problem } from 'dunelight'
import type { Batch, BatchRecord, BatchRows, Pool, TableModel } from 'dunelight/host'
import { Misread, type Row } from '@dunelight/tables'
import { FileCells, takesFiles } from './file-cells.js'
import { formatOf, readTable, type TableFile, type TableOptions, type TableSource } from './open-table.js'
import type { RecordChunk } from './record-chunk.js'
import { sampled } from './sample.js'

export type { RecordChunk } from './record-chunk.js'

export interface RecordsOptions extends TableOptions {
  /** Joined tables that have been read already. */
  readonly pools?: readonly Pool[]
  /** The library's folder: cells that hold paths of documents are read below it, and below the table's folder. */
  readonly folder?: string
  /** Called with notices about the columns. */
  readonly onHeading?: (problems: readonly Problem[]) => void
}

/** The records of a batch, and where they come from. */
export interface RecordSource extends RecordsOptions {
  readonly batch: Batch
  readonly source: TableSource
}

/**
 * The records of a batch from a table, ready to be read: its joined tables are in memory, its headings are known.
 *
 * @throws ProblemError if a table cannot be read, or if a column that every row needs is missing.
 */
export async function openSource(
  batch: Batch,
  folder: string,
  source: TableFile,
  { notice, onHeading }: Pick<RecordsOptions, 'notice' | 'onHeading'> = {},
): Promise<RecordSource & { readonly known: readonly string[] }> {
  const hears = notice ? { notice } : {}
  const pools = await readPools(batch, folder, hears)
  const known = await headingsOf(source)
  // Once, and before anything is made of the rows.
  new RecordMaker(batch, { pools, ...(onHeading && { onHeading }) }).records(known, [])
  return { batch, source, pools, known, folder, ...hears }
}

/** The records of a batch; of one with a sample those that are drawn. */
export function recordsOf({ batch, source, ...options }: RecordSource): AsyncGenerator<RecordChunk> {
  const chunks = readRecords(batch, source, options)
  const { sample } = batch.model
  return sample ? sampled(chunks, sample.count, sample.seed) : chunks
}

/**
 * A table's rows as records of a batch, a part of the table at a time.
 *
 * @throws ProblemError if the table cannot be read, or if a column that every row needs is missing.
 */
export async function* readRecords(batch: Batch, source: TableSource, options: RecordsOptions = {}): AsyncGenerator<RecordChunk> {
  const maker = new RecordMaker(batch, options)
  const { folder } = options
  const readsFiles = folder !== undefined && takesFiles(batch)
  for await (const { headings, rows, bytesRead } of readTable(source, options)) {
    if (readsFiles) {
      const table = typeof source === 'string' ? source : 'from' in source ? source.from : '-'
      // One row after the other: a table of documents is larger than memory.
      for (const row of rows) {
        const records = await maker.recordWithFiles(headings, row, folder, table)
        yield { headings, records, bytesRead, rows: 1 }
      }
      continue
    }
    yield { headings, records: maker.records(headings, rows), bytesRead, rows: rows.length }
  }
}

/** All headings that a table has: of a list of records those of the last are known only at its end. */
export async function headingsOf(source: TableSource): Promise<readonly string[]> {
  const format =
    typeof source === 'string' || 'from' in source ? formatOf(typeof source === 'string' ? { from: source } : source) : undefined
  let all: readonly string[] = []
  for await (const { headings } of readTable(source)) {
    all = headings
    if (format !== 'jsonl' && format !== 'json' && format !== 'yaml') break
  }
  return all
}

/** Makes records of rows, and counts them. */
export class RecordMaker {
  private reader: BatchRows | undefined
  private headings: readonly string[] | undefined
  private files: FileCells | undefined

  constructor(
    private readonly batch: Batch,
    private readonly options: Pick<RecordsOptions, 'pools' | 'onHeading'>,
    /** Rows before the first. */
    private row = 0,
  ) {}

  /** @throws ProblemError where a column that every row needs is missing. */
  records(headings: readonly string[], rows: readonly (Row | Misread)[]): Iterable<BatchRecord> {
    const first = this.row + 1
    this.row += rows.length
    return readRows(this.readerFor(headings), rows, first)
  }

  /** The record of one row, its documents read. */
  async recordWithFiles(headings: readonly string[], row: Row | Misread, folder: string, table: string): Promise<readonly BatchRecord[]> {
    if (row instanceof Misread) return [...this.records(headings, [row])]
    this.files ??= new FileCells(this.batch, this.readerFor(headings), folder, table)
    const { cells, problems } = await this.files.read(row, this.row + 1)
    const records = [...this.records(headings, [cells])]
    return records.map((record) => ({
      ...record,
      cells: row,
      ...(problems.length > 0 && { prepared: undefined, problems }),
    }))
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
    this.files = undefined
    return next
  }
}

function* readRows(reader: BatchRows, rows: readonly (Row | Misread)[], first: number): Generator<BatchRecord> {
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
      const cells = rows.filter((row): row is Row => !(row instanceof Misread))
      const problems = pool.add(headings, cells, row)
      if (problems.length > 0) throw new ProblemError(problems)
      row += rows.length
    }
  }
  return pools
}

/** The table that a batch of a library's folder speaks of. */
export function tableFile(folder: string, { path, format, sheet, query, encoding }: TableModel): TableFile {
  return {
    from: join(folder, path),
    ...(format && { format }),
    ...(sheet !== undefined && { sheet }),
    ...(query !== undefined && { query }),
    ...(encoding !== undefined && { encoding }),
  }
}
