import type { Column } from './row.js'
import type { ValueType } from './types.js'

/** A column whose cells hold documents: as paths, as `data:` addresses or as JSON. */
export interface FileColumn {
  readonly index: number
  readonly heading: string
  /** What separates several documents in a cell; undefined if it holds one. */
  readonly splits: string | undefined
}

/** The columns of a record and of the variables beside it. */
interface RowColumns {
  readonly columns: readonly Column[]
  readonly beside: readonly Column[]
}

/** The columns that fill variables and fields of the type `file`, or lists of them. */
export function fileColumns({ columns, beside }: RowColumns): FileColumn[] {
  return [...columns, ...beside].flatMap(({ index, heading, declared: { type } }): FileColumn[] => {
    if (type.kind === 'file') return [{ index, heading, splits: undefined }]
    return isFileList(type) ? [{ index, heading, splits: type.splits ?? ';' }] : []
  })
}

/** Whether a value of the type can hold documents. */
export function holdsFiles(type: ValueType): boolean {
  if (type.kind === 'record') return (type.fields ?? []).some((field) => holdsFiles(field.type))
  return type.kind === 'file' || isFileList(type)
}

/** A cell that holds the document itself: a `data:` address, or JSON. */
const WRITTEN_OUT = /^\s*(?:data:|[{[])/

/** The paths that a cell names; none if it is empty or holds the document itself. */
export function pathsInCell(cell: unknown, { splits }: FileColumn): readonly string[] {
  if (typeof cell !== 'string' || cell.trim() === '' || WRITTEN_OUT.test(cell)) return []
  return (splits === undefined ? [cell] : cell.split(splits)).map((path) => path.trim()).filter((path) => path !== '')
}

function isFileList(type: ValueType): type is ValueType & { kind: 'list' } {
  return type.kind === 'list' && type.item.kind === 'file'
}
