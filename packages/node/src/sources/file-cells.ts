import { realpath } from 'node:fs/promises'
import { dirname, isAbsolute, join, sep } from 'node:path'
import { ProblemError, type FileValue, type Problem } from 'dunelight'
import type { ValueType } from 'dunelight/parts'
import { DEFAULT_LIMITS, problem, type Batch, type BatchRows, type Pool } from 'dunelight/host'
import { readFileValue } from './file-value.js'
import { reason } from '../output/reason.js'

/** What stands in a cell itself: a document as a `data:` address, or as JSON. */
const WRITTEN_OUT = /^\s*(?:data:|[{[])/

interface FileColumn {
  readonly index: number
  readonly heading: string
  readonly splits: string | undefined
}

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
    const { columns, beside } = reader.columns
    this.columns = [...columns, ...beside].flatMap(({ index, heading, declared: { type } }): FileColumn[] =>
      isFile(type) ? [{ index, heading, splits: undefined }] : isFiles(type) ? [{ index, heading, splits: type.splits ?? ';' }] : [],
    )
    this.folders = table === '-' ? [folder] : [folder, dirname(table)]
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
    for (const { index, heading, splits } of this.columns) {
      const cell = cells[index]
      if (typeof cell !== 'string' || cell.trim() === '' || WRITTEN_OUT.test(cell)) continue
      const paths = (splits === undefined ? [cell] : cell.split(splits)).map((path) => path.trim()).filter((path) => path !== '')
      try {
        const files: FileValue[] = []
        for (const path of paths) files.push(await readFileValue(await this.placeOf(path), { limit: this.limit }))
        read[index] = splits === undefined ? files[0] : files
      } catch (fault) {
        if (!(fault instanceof ProblemError)) throw fault
        for (const { message } of fault.problems) problems.push(problem('cell-file', { row, column: heading, detail: message }))
      }
    }
    return { cells: read, problems }
  }

  /** Where a path leads: below the library's folder, or the table's. */
  private async placeOf(path: string): Promise<string> {
    let why = ''
    for (const folder of isAbsolute(path) ? [] : this.folders) {
      try {
        const [root, place] = await Promise.all([realpath(folder), realpath(join(folder, path))])
        if (place.startsWith(root + sep)) return place
      } catch (fault) {
        why = reason(fault)
      }
    }
    throw new ProblemError([why === '' ? problem('path-leaves-library', { path }) : problem('file-unreadable', { file: path, why })])
  }
}

function isFile(type: ValueType): boolean {
  return type.kind === 'file'
}

function isFiles(type: ValueType): type is ValueType & { kind: 'list' } {
  return type.kind === 'list' && type.item.kind === 'file'
}

/** Whether records of a batch can hold documents: then their rows are read on one thread, one after the other. */
export function takesFiles({ prompt, values }: Batch): boolean {
  const holdsFile = (type: ValueType): boolean =>
    isFile(type) || isFiles(type) || (type.kind === 'record' && (type.fields ?? []).some((field) => holdsFile(field.type)))
  return prompt.variables.some(({ name, type }) => !Object.hasOwn(values, name) && holdsFile(type))
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
