import { libraryFrom, ProblemError, type FileValue, type Library, type Problem, type Prompt } from 'dunelight'
import {
  batchOf,
  FileCache,
  fileColumns,
  pathsInCell,
  plainBatch,
  problem,
  type Batch,
  type BatchRecord,
  type BatchRows,
  type CaseRows,
  type FileColumn,
  type Pool,
  defined,
} from 'dunelight/host'
import { validator } from './json-schema.js'
import type { DeskTable } from './table.js'

/** All of a library that is not its texts. */
export interface Beside {
  readonly attachments: Readonly<Record<string, FileValue | string>>
  readonly tables: Readonly<Record<string, CaseRows | string>>
}

/** A prompt, and the records that it is rendered for. */
export interface Wanted {
  readonly prompt: string
  /** A batch of the library: which records there are, and how they are read. */
  readonly batch: string | undefined
  /** Documents that the batch gives to all of its records. */
  readonly values?: Readonly<Record<string, unknown>>
}

/** Opens the same library again and again while its texts are being written. */
export class Opener {
  private readonly kept = new FileCache()
  countTokens: (text: string) => number = (text) => Math.ceil(text.length / 4)

  open(files: Readonly<Record<string, string>>, beside: Beside): Library {
    return libraryFrom(files, { ...beside, validator, cache: this.kept, countTokens: this.countTokens })
  }
}

/** A prompt with its records, ready to be rendered one by one; or what keeps it from being so. */
export class Subject {
  readonly prompt: Prompt | undefined
  readonly problems: readonly Problem[]
  private readonly rows: BatchRows | undefined
  private readonly batch: Batch | undefined
  private readonly files: readonly FileColumn[]

  constructor(
    readonly library: Library,
    wanted: Wanted,
    private readonly table: DeskTable | undefined,
    joined: ReadonlyMap<string, DeskTable>,
  ) {
    try {
      this.prompt = library.prompt(wanted.prompt)
      const model = wanted.batch === undefined ? undefined : library.artefacts.batches.get(wanted.batch)
      this.batch = model
        ? batchOf(library, model, wanted.values ? { values: wanted.values } : {})
        : plainBatch(this.prompt, { ...localeOf(library) })
      const pools = poolsOf(this.batch, joined)
      this.rows = table && this.batch.rows(table.headings, pools, table.named)
      const wrong = this.rows?.problems.filter((p) => p.severity === 'error') ?? []
      this.problems = wrong
      if (wrong.length > 0) this.rows = undefined
      this.files = this.rows ? fileColumns(this.rows.reader.columns) : []
    } catch (fault) {
      if (!(fault instanceof ProblemError)) throw fault
      this.problems = fault.problems
      this.files = []
    }
  }

  /** The record of a row; undefined where the batch leaves it out. */
  record(position: number): BatchRecord | undefined {
    const misread = this.table?.misread.get(position)
    if (misread) return this.unready(position, [misread])
    if (!this.rows) return this.unready(position, this.problems)
    try {
      const row = defined(defined(this.table).rows[position])
      const { cells, problems } = this.withDocuments(row, position)
      const record = this.rows.read(cells, position + 1)
      return record && this.files.length > 0
        ? { ...record, cells: row, ...(problems.length > 0 && { prepared: undefined, problems }) }
        : record
    } catch (fault) {
      if (fault instanceof ProblemError) return this.unready(position, fault.problems)
      throw fault
    }
  }

  /** The documents of a row that are not read yet, by their paths. */
  lacking(position: number): readonly string[] {
    const { documents, rows } = this.table ?? { documents: new Map(), rows: [] }
    return this.files.flatMap((column) => pathsInCell(rows[position]?.[column.index], column)).filter((path) => !documents.has(path))
  }

  /** A row with documents in the places of their paths, and what kept one from being read. */
  private withDocuments(row: readonly unknown[], position: number): { cells: readonly unknown[]; problems: readonly Problem[] } {
    if (this.files.length === 0) return { cells: row, problems: [] }
    const { documents } = defined(this.table)
    const cells = [...row]
    const problems: Problem[] = []
    for (const column of this.files) {
      const read = pathsInCell(row[column.index], column).map((path) => documents.get(path) ?? `${path} is being read`)
      if (read.length === 0) continue
      for (const detail of read)
        if (typeof detail === 'string') problems.push(problem('cell-file', { row: position + 1, column: column.heading, detail }))
      cells[column.index] = column.splits === undefined ? read[0] : read
    }
    return { cells, problems }
  }

  /** How renderings of it are made. */
  options(record: BatchRecord): { record: string; seed?: number; locale?: string } {
    const { seed } = this.batch?.model ?? {}
    const locale = this.batch?.locale
    return { record: record.id, ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) }
  }

  private unready(offset: number, problems: readonly Problem[]): BatchRecord {
    return {
      row: offset + 1,
      id: String(offset + 1),
      named: false,
      cells: this.table?.rows[offset] ?? [],
      prepared: undefined,
      problems,
      path: undefined,
    }
  }
}

function localeOf(library: Library): { locale?: string } {
  const { locale } = library.artefacts.library
  return locale === undefined ? {} : { locale }
}

/** The joined tables; one that could not be read matches nothing. */
function poolsOf(batch: Batch, joined: ReadonlyMap<string, DeskTable>): Pool[] {
  const pools = batch.pools()
  for (const pool of pools) {
    const table = joined.get(pool.join.path)
    if (!table) throw new ProblemError([problem('file-unreadable', { file: pool.join.path, why: 'it has not been read' })])
    const problems = pool.add(table.headings, table.rows, 1)
    if (problems.length > 0) throw new ProblemError(problems)
  }
  return pools
}

/** A batch of a single record, for values that were made by hand. */
export function handRecord(prompt: Prompt, values: Readonly<Record<string, unknown>>): BatchRecord {
  const base = { row: 1, id: 'by hand', named: true, cells: [], path: undefined }
  try {
    return { ...base, prepared: prompt.prepare(values), problems: [] }
  } catch (fault) {
    if (fault instanceof ProblemError) return { ...base, prepared: undefined, problems: fault.problems }
    throw fault
  }
}
