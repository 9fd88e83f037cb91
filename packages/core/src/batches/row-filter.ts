import { defined } from '../invariant.js'
import type { Batch } from './batch.js'
import type { Pool } from './pool.js'
import { columnsOf, namedBy, ScopeReader, type ScopeTable } from './scope.js'
import { problem, ProblemError, type Problem } from '../problems/problem.js'
import type { Path } from '../text/nodes.js'
import type { RowReader } from '../values/row.js'
import type { Declared } from '../values/types.js'

/** A row's values under the names that conditions and names see, in the order of those names. */
type Scope = readonly unknown[]

/** What a batch reads of a row before the prompt's variables: the columns of conditions, names and joins, and no others. */
export class RowFilter {
  private readonly reader: ScopeReader
  private readonly columns: readonly Declared[]
  /** The positions of the columns called by themselves among those that are read; the row itself comes before them. */
  private readonly bare: readonly number[]
  private readonly rowNamed: boolean
  /** The name of a joined row's keys on the side of the record, each as the place in the scope and the steps from there. */
  private readonly keys: readonly (readonly { readonly column: number; readonly steps: readonly string[] }[])[]
  private readonly test: ((scope: Scope) => boolean) | undefined
  private readonly name: ((scope: Scope) => string) | undefined
  private readonly to: ((scope: Scope) => string) | undefined

  /** @throws ProblemError where a condition, a name or a join speaks of what the tables do not have. */
  constructor(
    { library, model, joins, paths, locale, perRecord }: Batch,
    reader: RowReader,
    headings: readonly string[],
    private readonly pools: readonly Pool[],
  ) {
    const as = model.records?.as ?? reader.record?.name
    const table: ScopeTable = { as, headings, declared: reader.targets, columns: model.columns, locale }
    const all = columnsOf(table)
    const joined = new Set(pools.map((pool) => pool.join.as))
    // Where the batch gives the row no name, its columns are called by themselves too.
    const bare = model.records?.as === undefined ? all.filter((d) => d.name !== as && !joined.has(d.name)) : []
    const named = as === undefined ? [] : namedBy(paths, table, all)
    this.columns = [...new Set([...named, ...namedBy(paths, { ...table, as: undefined }, bare)])]
    this.reader = new ScopeReader(table, this.columns)
    this.rowNamed = as !== undefined
    this.bare = bare.map((d) => this.columns.indexOf(d))
    const row: Declared[] =
      as === undefined ? [] : [{ name: as, type: { kind: 'record', fields: all }, optional: true, untrusted: false, span: undefined }]
    const scope = [...row, ...bare, ...pools.map((pool) => pool.type)]
    this.keys = joins.map(({ equalities }) => equalities.map(({ other }) => placeOf(other, scope)))
    this.test = model.keep && defined(library).keep(model.keep.condition, scope)
    this.name = model.called && defined(library).words(model.called, scope)
    this.to = model.to && perRecord ? defined(library).words(model.to.text, scope) : undefined
  }

  /** Undefined if a cell that the condition reads does not match its type. */
  read(cells: readonly unknown[], row: number, problems: Problem[]): Scope | undefined {
    const { accepted, problems: unfit } = this.reader.read(cells, row)
    if (!accepted) {
      problems.push(...unfit)
      return undefined
    }
    const scope: unknown[] = this.rowNamed ? [Object.fromEntries(this.columns.map((d, i) => [d.name, accepted[i]]))] : []
    for (const place of this.bare) scope.push(place < 0 ? null : accepted[place])
    this.pools.forEach((pool, i) => {
      const values = defined(this.keys[i]).map(({ column: position, steps }) => stepInto(scope[position], steps))
      scope.push(pool.find(values, problems))
    })
    return scope
  }

  /** The columns that are read, by their places in a row. */
  get places(): readonly number[] {
    return this.reader.places
  }

  accepts(scope: Scope): boolean {
    return this.test?.(scope) ?? true
  }

  /** The record's own name; undefined where the batch gives none. */
  called(scope: Scope): string | undefined {
    return this.name?.(scope).trim()
  }

  /** The path that the record goes to; undefined where it does not depend on the record. */
  path(scope: Scope): string | undefined {
    return this.to?.(scope.map(asStep))
  }
}

/** What a value is as a step of a path: characters that part steps, or that some disks do not take, are dashes. */
function asStep(value: unknown): unknown {
  // eslint-disable-next-line no-control-regex -- such names cannot be typed
  if (typeof value === 'string') return value.replace(/[/\\:*?"<>|\u0000-\u001f]+/g, '-').replace(/^\.+/, '-')
  if (Array.isArray(value)) return value.map(asStep)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(Object.entries(value).map(([key, value]) => [key, asStep(value)]))
}

function placeOf(path: Path, scope: readonly Declared[]): { column: number; steps: readonly string[] } {
  const position = scope.findIndex((d) => d.name === path.name)
  const steps = path.steps.map((step) => step.key)
  const fields = scope[position]?.type.kind === 'record' ? scope[position].type.fields : undefined
  const [first] = steps
  const known = position < 0 ? scope.map((d) => d.name) : (fields ?? []).map((d) => d.name)
  if (position < 0 || (first !== undefined && fields && !fields.some((d) => d.name === first)))
    throw new ProblemError([
      problem('column-unknown', { heading: position < 0 ? path.name : defined(first), variable: 'where', known }, path.span),
    ])
  return { column: position, steps }
}

function stepInto(value: unknown, keys: readonly string[]): unknown {
  return keys.reduce<unknown>(
    (item, key) => (typeof item === 'object' && item !== null ? (item as Record<string, unknown>)[key] : undefined),
    value,
  )
}
