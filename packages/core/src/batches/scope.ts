import { defined } from '../invariant.js'
import type { ColumnModel } from '../artefacts/artefacts.js'
import type { Path } from '../text/nodes.js'
import { isName } from '../values/names.js'
import { foldHeading, RowReader, type RowResult, type RowShape } from '../values/row.js'
import { TEXT, type Declared } from '../values/types.js'

/** The name that a column has where nothing declares it: "Object No." is `object-no`. */
export function nameOf(heading: string): string {
  return heading
    .normalize('NFC')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/g, '')
}

/** The names of columns in conditions and names, under the name of their row or by themselves. */
export interface ScopeTable {
  /** The name of its row; undefined where columns are named by themselves. */
  readonly as: string | undefined
  readonly headings: readonly string[]
  /** What the prompt declares of its columns: types and bounds. */
  readonly declared: readonly Declared[]
  readonly columns: ReadonlyMap<string, ColumnModel>
  readonly locale: string | undefined
}

/** All columns as declarations: those of the prompt, and every other heading as text, or as the batch types it. None is required. */
export function columnsOf({ as, headings, declared, columns }: ScopeTable): Declared[] {
  const stated = (name: string) => columns.get(as === undefined ? name : `${as}.${name}`)
  const headingFor = (name: string) => foldHeading(stated(name)?.heading ?? name)
  const folded = new Set(headings.map(foldHeading))
  const own = declared.flatMap((d) => (folded.has(headingFor(d.name)) ? [{ ...d, optional: true }] : []))
  const taken = new Set(own.map((d) => headingFor(d.name)))
  const others = headings.flatMap((heading): Declared[] => {
    const name = nameOf(heading)
    if (taken.has(foldHeading(heading)) || !isName(name) || own.some((d) => d.name === name)) return []
    taken.add(foldHeading(heading))
    return [{ name, type: stated(name)?.type ?? TEXT, optional: true, untrusted: false, span: undefined }]
  })
  // Columns that the batch names itself, under names of its own.
  const named = [...columns].flatMap(([path, { heading, type }]): Declared[] => {
    const name = as === undefined ? path : path.startsWith(`${as}.`) ? path.slice(as.length + 1) : ''
    if (heading === undefined || !folded.has(foldHeading(heading)) || !isName(name) || [...own, ...others].some((d) => d.name === name))
      return []
    return [{ name, type: type ?? TEXT, optional: true, untrusted: false, span: undefined }]
  })
  return [...own, ...others, ...named]
}

/** The columns of a table that paths name. */
export function namedBy(paths: readonly Path[], { as }: ScopeTable, all: readonly Declared[]): Declared[] {
  const names = new Set(
    paths.flatMap((path) => {
      if (as === undefined) return [path.name]
      // The whole row is meant where no step follows.
      return path.name !== as ? [] : path.steps.length === 0 ? all.map((d) => d.name) : [defined(path.steps[0]).key]
    }),
  )
  return all.filter((d) => names.has(d.name))
}

/** Reads just these columns of a row, in order. */
export class ScopeReader {
  private readonly reader: RowReader

  constructor(table: ScopeTable, columns: readonly Declared[]) {
    const { as, headings, locale } = table
    const named = new Map<string, string>()
    for (const { name } of columns) {
      const heading =
        table.columns.get(as === undefined ? name : `${as}.${name}`)?.heading ?? headings.find((heading) => nameOf(heading) === name)
      if (heading !== undefined) named.set(name, heading)
    }
    const shape: RowShape = { columns: named, ...(locale !== undefined && { locale }) }
    this.reader = new RowReader(columns, headings, shape)
  }

  read(cells: readonly unknown[], row: number): RowResult {
    return this.reader.read(cells, row)
  }

  /** The columns that are read, by their places in a row. */
  get places(): readonly number[] {
    return this.reader.columns.map(({ index }) => index)
  }

  headingOf(name: string): string | undefined {
    return this.reader.columns.find((column) => column.name === name)?.heading
  }
}
