import { join } from 'node:path'
import { ProblemError, type Problem } from 'dunelight'
import { FirstRows, problem, type Batch, type BatchRecord, type BatchRows, type Pool, type TableModel } from 'dunelight/host'
import { Misread, type Row, type TableRows } from '@dunelight/tables'
import { cuttingOf } from './cutter.js'
import { FileCells, takesFiles } from './file-cells.js'
import { lineHeadings } from './line-headings.js'
import { formatOf, readTable, type TableFile, type TableOptions, type TableSource } from './open-table.js'
import type { RecordChunk } from './record-chunk.js'
import { sampled } from './sample.js'

export type { RecordChunk } from './record-chunk.js'

export interface RecordsOptions extends TableOptions {
  /** Joined tables that have been read already. */
  readonly pools?: readonly Pool[]
  /** The library's folder: cells that hold paths of documents are read below it, and below the table's folder. */
  readonly folder?: string
  /** The heading of the column that names the records; `null` where none does. Default: found in the table's first rows. */
  readonly named?: string | null
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
): Promise<RecordSource & TableHead> {
  const hears = notice ? { notice } : {}
  const pools = await readPools(batch, folder, hears)
  const { known, named } = await headOf(source, batch.model.called ? null : undefined, notice)
  // Once, and before anything is made of the rows.
  new RecordMaker(batch, { pools, ...(onHeading && { onHeading }) }).records(known, [])
  return { batch, source, pools, known, named, folder, ...hears }
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
  const { folder } = options
  const readsFiles = folder !== undefined && takesFiles(batch)
  const { named, parts } = await withNames(readTable(source, options), batch.model.called ? null : options.named, options.notice)
  const maker = new RecordMaker(batch, { ...options, named })
  for await (const { headings, rows, bytesRead } of parts) {
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

/** The headings of a table, and the one whose column names its records. */
export interface TableHead {
  readonly known: readonly string[]
  readonly named: string | null
}

/** All headings that a table has, and the one whose column names its records. Of a list the last headings are known only at its end. */
export async function headOf(source: TableFile, given: null | undefined, notice: RecordsOptions['notice']): Promise<TableHead> {
  const format = formatOf(source)
  if (format === 'json' || format === 'yaml') return headOfParts(source, given, notice, true)
  if (format !== 'jsonl') return firstHeadOf(source, given, notice)
  const cutting = await cuttingOf(source)
  if (!cutting) return headOfParts(source, given, notice, true)
  const { known, named } = await firstHeadOf(source, given, notice)
  return { known: await lineHeadings(source.from, cutting, known), named }
}

/** The headings of a table's first rows, and the one whose column names its records. */
export function firstHeadOf(source: TableSource, given: null | undefined, notice: RecordsOptions['notice']): Promise<TableHead> {
  return headOfParts(source, given, notice, false)
}

async function headOfParts(
  source: TableSource,
  given: null | undefined,
  notice: RecordsOptions['notice'],
  isWhole: boolean,
): Promise<TableHead> {
  const { named, parts } = await withNames(readTable(source), given, notice)
  let known: readonly string[] = []
  for await (const { headings } of parts) {
    known = headings
    if (!isWhole) break
  }
  return { known, named }
}

/**
 * A table, and the heading of the column that names its records, which its first rows tell.
 *
 * @param known - The heading where it is known, or null for none: then nothing is looked at.
 * @param notice - Hears why the column that seems meant does not name them.
 */
export async function withNames(
  table: AsyncGenerator<TableRows>,
  known?: string | null,
  notice?: RecordsOptions['notice'],
): Promise<{ readonly named: string | null; readonly parts: AsyncGenerator<TableRows> }> {
  if (known !== undefined) return { named: known, parts: table }
  const first: TableRows[] = []
  const rows = new FirstRows()
  while (!rows.full) {
    const next = await table.next()
    if (next.done) break
    first.push(next.value)
    for (const row of next.value.rows) if (!(row instanceof Misread)) rows.add(row)
  }
  const headings = first.at(-1)?.headings ?? []
  const named = rows.idHeading(headings) ?? null
  const almost = named === null ? rows.almost(headings) : undefined
  if (almost) notice?.(problem('record-ids-unfit', almost))
  return { named, parts: after(first, table) }
}

async function* after<T>(first: readonly T[], others: AsyncGenerator<T>): AsyncGenerator<T> {
  try {
    yield* first
    yield* others
  } finally {
    await others.return(undefined)
  }
}

/** Makes records of rows, and counts them. */
export class RecordMaker {
  private reader: BatchRows | undefined
  private headings: readonly string[] | undefined
  private files: FileCells | undefined

  constructor(
    private readonly batch: Batch,
    private readonly options: Pick<RecordsOptions, 'pools' | 'onHeading' | 'named'>,
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
    const next = this.batch.rows(headings, this.options.pools ?? [], this.options.named ?? undefined)
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
    const record = readRow(reader, cells, row++)
    if (record) yield record
  }
}

/** The record of a row; undefined where it is not to be kept. */
export function readRow(reader: BatchRows, cells: Row | Misread, row: number): BatchRecord | undefined {
  return cells instanceof Misread ? unread(cells, row) : reader.read(cells, row)
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
