import { realpath } from 'node:fs/promises'
import { dirname, isAbsolute, join, normalize, sep } from 'node:path'
import { ProblemError, type FileValue, type Problem } from 'dunelight'
import {
  DEFAULT_LIMITS,
  fileColumns,
  holdsFiles,
  pathsInCell,
  problem,
  type Batch,
  type BatchRows,
  type FileColumn,
  type Pool,
} from 'dunelight/host'
import { readFileValue } from './file-value.js'
import { reason } from '../output/reason.js'

/** The cells of a table that hold paths of documents: variables and fields of the type `file`. */
export class FileCells {
  private readonly columns: readonly FileColumn[]
  private readonly folders: readonly string[]
  private readonly limit: number

  /**
   * @param folder - The library's folder.
   * @param table - The table's path: documents may stand below its folder too. `-` for standard input.
   */
  constructor({ library }: Batch, { reader }: BatchRows, folder: string, table: string) {
    this.columns = fileColumns(reader.columns)
    this.folders = foldersOf(folder, table)
    this.limit = library?.limits.attachmentBytes ?? DEFAULT_LIMITS.attachmentBytes
  }

  /** Whether there is any such column. */
  get any(): boolean {
    return this.columns.length > 0
  }

  /** The same cells with documents in the places of their paths, and what kept one from being read. */
  async read(cells: readonly unknown[], row: number): Promise<{ cells: readonly unknown[]; problems: readonly Problem[] }> {
    const read = [...cells]
    const problems: Problem[] = []
    for (const column of this.columns) {
      const { index, heading, splits } = column
      const paths = pathsInCell(cells[index], column)
      if (paths.length === 0) continue
      try {
        const files: FileValue[] = []
        for (const path of paths) files.push(await readDocument(path, this.folders, this.limit))
        read[index] = splits === undefined ? files[0] : files
      } catch (fault) {
        if (!(fault instanceof ProblemError)) throw fault
        for (const { message } of fault.problems) problems.push(problem('cell-file', { row, column: heading, detail: message }))
      }
    }
    return { cells: read, problems }
  }
}

/** The folders below which the documents of a table may be. `-` is standard input. */
export function foldersOf(folder: string, table: string): readonly string[] {
  return table === '-' ? [folder] : [folder, dirname(table)]
}

/**
 * Reads a document that a cell names, below one of the folders.
 *
 * @throws ProblemError if the path leads elsewhere, or cannot be read.
 */
export async function readDocument(path: string, folders: readonly string[], limit: number): Promise<FileValue> {
  return readFileValue(await placeOf(path, folders), { limit })
}

async function placeOf(path: string, folders: readonly string[]): Promise<string> {
  let why = ''
  // Whether there is something outside is nobody's to know: only paths that lead below a folder are looked at.
  for (const folder of isAbsolute(path) || normalize(path).startsWith('..') ? [] : folders) {
    try {
      const [root, place] = await Promise.all([realpath(folder), realpath(join(folder, path))])
      if (place.startsWith(root + sep)) return place
    } catch (fault) {
      why = reason(fault)
    }
  }
  throw new ProblemError([why === '' ? problem('path-leaves-library', { path }) : problem('file-unreadable', { file: path, why })])
}

/** Whether records of a batch can hold documents: then their rows are read on one thread, one after the other. */
export function takesFiles({ prompt, values }: Batch): boolean {
  return prompt.variables.some(({ name, type }) => !Object.hasOwn(values, name) && holdsFiles(type))
}

/** Reads the documents of rows, for those who look at rows and make no records of them. A row of which one cannot be read gives its problem. */
export function fileReader(batch: Batch, pools: readonly Pool[], folder: string, table: string) {
  let known: { readonly headings: readonly string[]; readonly files: FileCells } | undefined
  let count = 0
  return async <R extends readonly unknown[] | { readonly problem: Problem }>(
    headings: readonly string[],
    row: R,
  ): Promise<R | { problem: Problem }> => {
    count++
    if ('problem' in row) return row
    if (known?.headings !== headings) known = { headings, files: new FileCells(batch, batch.rows(headings, pools), folder, table) }
    const { cells, problems } = await known.files.read(row, count)
    const [fault] = problems
    return fault ? { problem: fault } : (cells as R)
  }
}
