import { defined } from '../invariant.js'
import type { Batch } from './batch.js'
import type { Pool } from './pool.js'
import { RowFilter } from './row-filter.js'
import { nameOf } from './scope.js'
import type { PreparedValues } from '../library/prepared-values.js'
import type { PromptRows } from '../library/prompt-rows.js'
import { contained } from '../problems/contained.js'
import { problem, type Problem, type ProblemError } from '../problems/problem.js'
import { acceptType, topLevel } from '../values/accept.js'
import { cellText } from '../values/cells.js'
import { isEmpty } from '../values/data.js'
import type { RowShape } from '../values/row.js'

/** A row as a record of the batch: ready to be rendered, or with what is wrong with it. */
export interface BatchRecord {
  /** Counted from 1 below the heading. */
  readonly row: number
  readonly id: string
  /** Whether it has a name of its own, which no other record may have. Without one its id is the number of its row. */
  readonly named: boolean
  readonly cells: readonly unknown[]
  /** The row as it stands in its source, where it could not be cut into cells. */
  readonly raw?: string
  readonly prepared: PreparedValues | undefined
  readonly problems: readonly Problem[]
  /** The path that it goes to, where `to` depends on the record. */
  readonly path: string | undefined
}

/** What conditions, names and joins make of a row. */
export interface RowLook {
  /** Undefined if a cell does not match its type. */
  readonly scope: readonly unknown[] | undefined
  /** The record's name, if the batch gives one. */
  readonly called: string | undefined
  readonly problems: readonly Problem[]
}

/** Makes records of the rows of one table: joined, chosen, named, and read as the prompt's values. */
export class BatchRows {
  readonly reader: PromptRows
  private readonly filter: RowFilter | undefined
  /** The variables that joined rows are values of, by their places; -1 for a table that no variable takes. */
  readonly joined: readonly number[]
  private readonly idColumn: number

  /** @throws ProblemError if a condition or a name uses a column that the tables do not have. */
  constructor(
    private readonly batch: Batch,
    readonly headings: readonly string[],
    private readonly pools: readonly Pool[],
    /** The heading of the column by which records are named, where the batch does not say: see `idHeading`. */
    named: string | undefined,
  ) {
    this.idColumn = named === undefined ? -1 : headings.indexOf(named)
    const { model, prompt, values, locale } = batch
    const columns = new Map([...model.columns].flatMap(([path, { heading }]) => (heading === undefined ? [] : [[path, heading] as const])))
    const shape: RowShape = {
      values,
      columns,
      elsewhere: new Set(pools.map((pool) => pool.join.as)),
      ...(locale !== undefined && { locale }),
      ...(model.records?.as !== undefined && { as: model.records.as }),
    }
    this.reader = prompt.reader(headings, shape)
    this.joined = pools.map((pool) => prompt.variables.findIndex((d) => d.name === pool.join.as))
    this.filter = batch.paths.length > 0 ? new RowFilter(batch, this.reader.columns, headings, pools) : undefined
  }

  /** Problems of the headings. A column that a condition reads counts as used. */
  get problems(): readonly Problem[] {
    const usedNames = new Set(this.batch.paths.flatMap((path) => [path.name, ...path.steps.map((step) => step.key)]))
    return this.reader.problems.filter((p) => p.code !== 'heading-unused' || !usedNames.has(nameOf(p.data.heading)))
  }

  /** The names of the joined tables that have no row for this one, whatever else is wrong with it. */
  unmatched(cells: readonly unknown[], row: number): readonly string[] {
    const scope = this.pools.length === 0 ? undefined : this.filter?.read(cells, row, [])
    if (!scope) return []
    const joined = scope.slice(scope.length - this.pools.length)
    return this.pools.filter((_, i) => isEmpty(joined[i])).map(({ join }) => join.as)
  }

  /** The record of a row; undefined where it is not to be kept. */
  read(cells: readonly unknown[], row: number): BatchRecord | undefined {
    try {
      return contained(() => this.readRow(cells, row))
    } catch (fault) {
      const { problems } = fault as ProblemError
      return { row, id: String(row), named: false, cells, prepared: undefined, problems, path: undefined }
    }
  }

  private readRow(cells: readonly unknown[], row: number): BatchRecord | undefined {
    const { filter } = this
    if (!filter) {
      const name = this.name(cells)
      const { prepared, problems } = this.reader.read(cells, row)
      return { row, ...named(name, row), cells, prepared, problems, path: undefined }
    }
    const look = this.look(cells, row)
    if (!look) return undefined
    const { scope, called, problems } = look
    const name = called === undefined || called === '' ? this.name(cells) : called
    const record = { row, ...named(name, row), cells, path: scope && filter.path(scope) }
    if (problems.length > 0) return { ...record, prepared: undefined, problems }
    const read = this.reader.read(cells, row, scope && ((accepted) => this.putJoined(accepted, scope)))
    return { ...record, prepared: read.prepared, problems: read.problems }
  }

  /** The places of the columns that conditions, names and joins read; undefined without any of them. */
  get lookedAt(): readonly number[] | undefined {
    return this.filter?.places
  }

  /** What a row is for the batch before its values are read; undefined where it is not to be kept. Only cells that are looked at are needed. */
  look(cells: readonly unknown[], row: number): RowLook | undefined {
    const filter = defined(this.filter)
    const problems: Problem[] = []
    const scope = filter.read(cells, row, problems)
    if (scope && problems.length === 0 && !filter.accepts(scope)) return undefined
    const called = scope && filter.called(scope)
    if (called === '') problems.push(problem('record-unnamed', { row }))
    return { scope, called, problems }
  }

  /** The cell of the column that names records; empty without one. */
  private name(cells: readonly unknown[]): string {
    return this.idColumn >= 0 ? cellText(cells[this.idColumn]).trim() : ''
  }

  /** The joined rows as values of the prompt. */
  putJoined(accepted: unknown[], scope: readonly unknown[]): readonly Problem[] {
    const problems: Problem[] = []
    const { variables } = this.batch.prompt
    this.joined.forEach((position, i) => {
      if (position < 0) return
      const declared = defined(variables[position])
      const joined = scope[scope.length - this.pools.length + i]
      if (!isEmpty(joined)) accepted[position] = acceptType(joined, declared.type, topLevel(declared.name), (p) => problems.push(p))
      else if (defined(this.pools[i]).join.many) accepted[position] = []
      else if (declared.default === undefined && !declared.optional)
        problems.push(problem('join-none', { table: defined(this.pools[i]).join.path, variable: declared.name }))
    })
    return problems
  }
}

/** A record's name, or the number of its row. */
function named(name: string, row: number): Pick<BatchRecord, 'id' | 'named'> {
  return name === '' ? { id: String(row), named: false } : { id: name, named: true }
}
