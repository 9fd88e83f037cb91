import { defined } from '../invariant.js'
import type { ColumnModel, JoinModel } from '../artefacts/artefacts.js'
import { problem, type Problem } from '../problems/problem.js'
import type { Path } from '../text/nodes.js'
import { columnsOf, nameOf, ScopeReader, type ScopeTable } from './scope.js'
import { isMissing } from '../values/data.js'
import type { Declared, ValueType } from '../values/types.js'

/** The records of a joined table that have one key. */
type Entry = { readonly record: Readonly<Record<string, unknown>> } | { readonly problems: readonly Problem[] }

/** A column of a joined table, and what its rows have there. */
export interface PoolColumn extends Declared {
  readonly heading: string
  readonly empty: number
  /** A few of its values, each another. */
  readonly samples: readonly unknown[]
}

/** A joined table, in memory, indexed by the values that find its rows. */
export class Pool {
  private readonly entries = new Map<string, Entry[]>()
  private columns: readonly Declared[] = []
  private reader: ScopeReader | undefined
  private headings: readonly string[] | undefined
  private rows = 0

  constructor(
    readonly join: JoinModel,
    /** The columns by which a row is found, in order. */
    private readonly keys: readonly Path[],
    private readonly declared: readonly Declared[],
    private readonly batchColumns: ReadonlyMap<string, ColumnModel>,
    private readonly locale: string | undefined,
  ) {}

  /** Rows of the table; `row` counts from 1 below the heading. Reports what keeps the table from being joined. */
  add(headings: readonly string[], rows: readonly (readonly unknown[])[], row: number): readonly Problem[] {
    if (headings !== this.headings) {
      this.headings = headings
      const table: ScopeTable = { as: this.join.as, headings, declared: this.declared, columns: this.batchColumns, locale: this.locale }
      this.columns = columnsOf(table)
      this.reader = new ScopeReader(table, this.columns)
      const { as, of } = this.join
      const wanted = [...this.keys.map((path) => defined(path.steps[0]).key), ...(of === undefined ? [] : [nameOf(of)])]
      const missing = wanted.filter((name) => !this.columns.some((d) => d.name === name))
      const known = headings.filter((heading) => heading !== '')
      if (missing.length > 0) return missing.map((heading) => problem('column-unknown', { heading, variable: as, known }))
    }
    const places = this.keys.map((path) => this.columns.findIndex((d) => d.name === defined(path.steps[0]).key))
    this.rows += rows.length
    rows.forEach((cells, i) => {
      const { accepted, problems } = defined(this.reader).read(cells, row + i)
      // A row that cannot be read at all has no key: nothing finds it.
      if (!accepted && cells.length !== headings.length) return
      const key = accepted ? keyOf(places.map((position) => accepted[position])) : this.keyOfCells(cells, row + i)
      if (key === undefined) return
      const entry: Entry = accepted
        ? { record: Object.fromEntries(this.columns.map((d, offset) => [d.name, accepted[offset]])) }
        : { problems }
      const known = this.entries.get(key)
      if (known) known.push(entry)
      else this.entries.set(key, [entry])
    })
    return []
  }

  /** The key of a row of which other cells do not fit. */
  private keyOfCells(cells: readonly unknown[], row: number): string | undefined {
    const names = this.keys.map((path) => defined(path.steps[0]).key)
    const columns = names.map((name) => defined(this.columns.find((d) => d.name === name)))
    const table: ScopeTable = {
      as: this.join.as,
      headings: defined(this.headings),
      declared: this.declared,
      columns: this.batchColumns,
      locale: this.locale,
    }
    const { accepted } = new ScopeReader(table, columns).read(cells, row)
    return accepted && keyOf(accepted)
  }

  /** How many rows it has, and how many of them nothing finds, for they have no key or cells that do not fit. */
  get counts(): { readonly rows: number; readonly unfit: number } {
    let fit = 0
    for (const entries of this.entries.values()) for (const entry of entries) if ('record' in entry) fit++
    return { rows: this.rows, unfit: this.rows - fit }
  }

  /** Its columns, with what the rows that can be found have there. */
  *described(samples: number): Generator<PoolColumn> {
    for (const column of this.columns) {
      const some = new Set<unknown>()
      let empty = 0
      for (const entries of this.entries.values())
        for (const entry of entries) {
          if (!('record' in entry)) continue
          const value = entry.record[column.name]
          if (isMissing(value)) empty++
          else if (some.size < samples) some.add(value)
        }
      yield { ...column, heading: this.reader?.headingOf(column.name) ?? column.name, empty, samples: [...some] }
    }
  }

  /** Its columns as a declaration under its name. */
  get type(): Declared {
    const { as, of, many } = this.join
    const only = of === undefined ? undefined : this.columns.find((d) => d.name === nameOf(of))
    const record: ValueType = only?.type ?? { kind: 'record', fields: this.columns }
    return { name: as, type: many ? { kind: 'list', item: record } : record, optional: true, untrusted: false, span: undefined }
  }

  /** What matches a record: a row, a list of rows with `many`, or null. */
  find(values: readonly unknown[], problems: Problem[]): unknown {
    const key = keyOf(values)
    const entries = key === undefined ? [] : (this.entries.get(key) ?? [])
    const { many, path, of } = this.join
    const column = of === undefined ? undefined : nameOf(of)
    if (!many && entries.length > 1) {
      problems.push(problem('join-several', { table: path, key: values.map(String).join(', '), count: entries.length }))
      return null
    }
    const records: unknown[] = []
    for (const entry of entries) {
      if ('record' in entry) records.push(column === undefined ? entry.record : (entry.record[column] ?? null))
      else for (const p of entry.problems) problems.push(problem('join-row-invalid', { table: path, detail: p.message }))
    }
    return many ? records.filter((record) => record !== null) : (records[0] ?? null)
  }
}

/** What is missing matches nothing. */
function keyOf(values: readonly unknown[]): string | undefined {
  if (values.some(isMissing)) return undefined
  return values.length === 1 ? String(values[0]) : JSON.stringify(values.map(String))
}
