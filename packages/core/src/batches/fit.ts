import { defined } from '../invariant.js'
import type { Batch } from './batch.js'
import { FirstRows } from './id-heading.js'
import type { Pool } from './pool.js'
import type { BatchRecord, BatchRows } from './rows.js'
import { nearest } from '../problems/suggest.js'
import { contained } from '../problems/contained.js'
import { problem, type Problem, type ProblemError } from '../problems/problem.js'
import { cellText } from '../values/cells.js'
import { clip } from '../values/data.js'
import { foldHeading, type Column } from '../values/row.js'
import { describe, type Declared } from '../values/types.js'

/** How one variable or field is served by the table. */
export interface FittedVariable {
  /** Its path: `item.number`. */
  readonly path: string
  readonly takes: string
  readonly required: boolean
  /** The column that gives it; undefined where none does. */
  readonly heading: string | undefined
  readonly how: Column['how'] | 'missing' | 'set' | 'joined'
  readonly empty: number
  readonly invalid: number
  /** A few of its cells that fit, each another. */
  readonly samples: readonly string[]
  /** A few of those that do not. */
  readonly misfits: readonly { readonly row: number; readonly cell: string; readonly why: string }[]
}

/** A joined table, and how many records have a row there. */
export interface FittedJoin {
  /** The name of its rows in the batch. */
  readonly as: string
  /** Its path in the library. */
  readonly table: string
  readonly rows: number
  /** Rows that no record finds: without a key, or with cells that do not fit. */
  readonly unfit: number
  /** Records without a row of it. */
  readonly without: number
  readonly columns: readonly (Pick<FittedVariable, 'path' | 'takes' | 'empty' | 'samples'> & { readonly heading: string })[]
}

/** What names the records. */
export interface FittedNames {
  /** The batch's `name`, a column, or the row number. */
  readonly by: 'name' | 'column' | 'row'
  /** The column's heading. */
  readonly heading?: string
  /** Records whose name is more than their row number. */
  readonly named: number
  readonly samples: readonly string[]
}

/** How a table fits a prompt, before anything runs. */
export interface FitReport {
  readonly rows: number
  /** Rows that a condition keeps; all of them where there is none. */
  readonly included: number
  /** Kept rows that cannot become values of the prompt. */
  readonly rejected: number
  readonly variables: readonly FittedVariable[]
  readonly names: FittedNames
  readonly joined: readonly FittedJoin[]
  readonly unused: readonly { readonly heading: string; readonly samples: readonly string[] }[]
  /** Lines of `columns:` that would fix what is missing. */
  readonly columns: readonly string[]
  /** A few of the rows that are rejected for something else than a cell. */
  readonly others: readonly { readonly row: number; readonly message: string }[]
  /** Other fixes, in words. */
  readonly hints: readonly string[]
}

const SAMPLES = 3

interface Count {
  empty: number
  invalid: number
  samples: string[]
  misfits: FittedVariable['misfits'][number][]
}

/** Reads every row of a table and counts. Headings that appear later, in records with further keys, are included. */
export class Fit {
  private rows = 0
  private included = 0
  private rejectedCount = 0
  private reader: BatchRows | undefined
  private headings: readonly string[] = []
  private readonly counts = new Map<string, Count>()
  private readonly spare = new Map<string, string[]>()
  private readonly ids = new Set<string>()
  private readonly others: { row: number; message: string }[] = []

  constructor(
    private readonly batch: Batch,
    private readonly pools: readonly Pool[],
    /** The heading of the column that names the records, where the batch has no `name` and one does. */
    private readonly named?: string,
  ) {}

  add(headings: readonly string[], rows: readonly (readonly unknown[] | { readonly problem: Problem })[]): void {
    if (!this.reader || headings !== this.headings) {
      this.reader = this.batch.rows(headings, this.pools, this.named)
      this.headings = headings
    }
    for (const cells of rows) {
      this.rows++
      if (!isCells(cells)) {
        this.included++
        this.rejectedCount++
        continue
      }
      this.first.add(cells)
      const record = this.reader.read(cells, this.rows)
      if (record) this.included++
      if (record?.named) {
        this.namedCount++
        keepSample(this.nameSamples, record.id)
      }
      if (record) for (const name of this.reader.unmatched(cells, this.rows)) this.countOf(name).empty++
      const [fault] = record ? this.faultsOf(record) : []
      if (record && fault) {
        this.rejectedCount++
        // Cells that do not fit are counted with their column.
        if (fault.code !== 'cell-invalid' && this.countOther(fault.code) <= SAMPLES)
          this.others.push({ row: this.rows, message: fault.message })
      }
      if (record && cells.length === headings.length) this.look(cells)
    }
  }

  /** What a run would reject a record for: its values, its id, or its rendering. */
  private faultsOf({ id, named, prepared, problems }: BatchRecord): readonly Problem[] {
    if (problems.length > 0 || !prepared) return problems
    if (named && this.ids.has(id)) return [problem('record-id-duplicate', { name: id })]
    this.ids.add(id)
    try {
      contained(() => this.batch.requests(prepared, { record: id }))
      return []
    } catch (fault) {
      return (fault as ProblemError).problems
    }
  }

  private readonly first = new FirstRows()
  private namedCount = 0
  private readonly nameSamples: string[] = []
  private readonly otherCodes = new Map<string, number>()

  /** Of every reason some are shown. */
  private countOther(code: string): number {
    const count = (this.otherCodes.get(code) ?? 0) + 1
    this.otherCodes.set(code, count)
    return count
  }

  private look(cells: readonly unknown[]): void {
    const { columns: own, beside } = defined(this.reader).reader.columns
    const columns = [...own, ...beside]
    const used = new Set<number>()
    for (const column of columns) {
      used.add(column.index)
      const count = this.countOf(column.declared.name)
      const cell = cells[column.index]
      const text = cellText(cell)
      if (text.trim() === '') {
        count.empty++
        continue
      }
      const problems: Problem[] = []
      column.read(cell, this.rows, problems)
      const [unfit] = problems
      if (!unfit) keepSample(count.samples, text)
      else {
        count.invalid++
        const why =
          unfit.code === 'cell-invalid' ? (unfit.data.isBound ? unfit.data.expected : `expected ${unfit.data.expected}`) : unfit.message
        // Of every reason some.
        if (count.misfits.filter((misfit) => misfit.why === why).length < SAMPLES)
          count.misfits.push({ row: this.rows, cell: clip(text), why })
      }
    }
    this.headings.forEach((heading, i) => {
      if (used.has(i)) return
      let samples = this.spare.get(heading)
      if (!samples) this.spare.set(heading, (samples = []))
      keepSample(samples, cellText(cells[i]))
    })
  }

  private countOf(name: string): Count {
    let count = this.counts.get(name)
    if (!count) this.counts.set(name, (count = { empty: 0, invalid: 0, samples: [], misfits: [] }))
    return count
  }

  /** @throws ProblemError if a condition or a name uses a column that the table does not have. */
  report(): FitReport {
    const reader = (this.reader ??= this.batch.rows(this.headings, this.pools)).reader.columns
    const prefix = reader.record ? `${reader.record.name}.` : ''
    const joined = new Map(this.pools.map((pool) => [pool.join.as, pool.join.path]))
    const variables = reader.targets.map((declared) => this.fitted(declared, `${prefix}${declared.name}`, reader.columns))
    const others = this.batch.prompt.variables.flatMap((d): FittedVariable[] => {
      if (reader.targets.includes(d) || d === reader.record) return []
      if (reader.beside.some(({ declared }) => declared === d)) return [this.fitted(d, d.name, reader.beside)]
      const how = joined.has(d.name) ? 'joined' : Object.hasOwn(this.batch.values, d.name) ? 'set' : undefined
      return how || isNeeded(d) ? [{ ...this.fitted(d, d.name, []), heading: joined.get(d.name), how: how ?? 'missing' }] : []
    })
    const used = new Set([...reader.columns, ...reader.beside].map((column) => column.heading))
    const unused = this.headings
      .filter((heading) => !used.has(heading))
      .map((heading) => ({ heading, samples: this.spare.get(heading) ?? [] }))
    const all = [...variables, ...others]
    return {
      rows: this.rows,
      included: this.included,
      rejected: this.rejectedCount,
      variables: all,
      names: this.names(),
      joined: this.pools.map((pool) => this.fittedJoin(pool)),
      unused,
      columns: fixes(
        variables.filter((variable) => variable.how === 'missing'),
        unused.map((item) => item.heading),
      ),
      others: this.others,
      hints: [...all.flatMap(hintsFor), ...this.hintsForNames()],
    }
  }

  private names(): FittedNames {
    const by = this.batch.model.called ? 'name' : this.named === undefined ? 'row' : 'column'
    const heading = by === 'column' && this.named !== undefined ? { heading: this.named } : {}
    return { by, ...heading, named: this.namedCount, samples: this.nameSamples }
  }

  /** Why the column that seems meant does not name the records. */
  private hintsForNames(): string[] {
    const found = this.names().by === 'row' ? this.first.almost(this.headings) : undefined
    if (!found) return []
    const { message, hint = '' } = problem('record-ids-unfit', found)
    return [`${message}; ${hint}`]
  }

  private fittedJoin(pool: Pool): FittedJoin {
    const { as, path: table } = pool.join
    const columns = [...pool.described(SAMPLES)].map(({ name, type, heading, empty, samples }) => {
      const cells: string[] = []
      for (const value of samples) keepSample(cells, cellText(value))
      return { path: `${as}.${name}`, takes: describe(type), heading, empty, samples: cells }
    })
    return { as, table, ...pool.counts, without: this.countOf(as).empty, columns }
  }

  private fitted(declared: Declared, path: string, columns: readonly Column[]): FittedVariable {
    const column = columns.find((column) => column.declared === declared)
    const { empty, invalid, samples, misfits } = this.countOf(declared.name)
    const takes = describe(declared.type)
    const how = column?.how ?? 'missing'
    return { path, takes, required: isNeeded(declared), heading: column?.heading, how, empty, invalid, samples, misfits }
  }
}

function isCells(row: readonly unknown[] | { readonly problem: Problem }): row is readonly unknown[] {
  return Array.isArray(row)
}

function isNeeded(d: Declared): boolean {
  return !d.optional && d.default === undefined
}

function keepSample(samples: string[], cell: string): void {
  const text = clip(cell.trim(), 28)
  if (text !== '' && samples.length < SAMPLES && !samples.includes(text)) samples.push(text)
}

/** For each missing variable the unused column that is most likely meant: nearly the same letters, or a word in common. */
function fixes(missing: readonly FittedVariable[], unused: readonly string[]): string[] {
  const free = [...unused]
  return missing.flatMap(({ path }) => {
    const name = defined(path.split('.').at(-1))
    const near = nearest(foldHeading(name), free.map(foldHeading))
    const shared = () => free.find((heading) => wordsOf(heading).some((word) => wordsOf(name).includes(word)))
    const heading = (near === undefined ? undefined : free.find((text) => foldHeading(text) === near)) ?? shared()
    if (heading === undefined) return []
    free.splice(free.indexOf(heading), 1)
    return [`${path}: ${JSON.stringify(heading)}`]
  })
}

/** The words of a name or heading; abbreviations are replaced by their words. */
function wordsOf(text: string): string[] {
  return text
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .map((word) => SHORT[word] ?? word)
    .filter((word) => word.length > 2)
}
const SHORT: Readonly<Record<string, string>> = {
  no: 'number',
  nr: 'number',
  num: 'number',
  id: 'number',
  qty: 'quantity',
  desc: 'description',
}

/** Dates in another order and numbers in another notation are declared, not converted by hand. */
function hintsFor({ path, takes, misfits }: FittedVariable): string[] {
  if (misfits.length === 0) return []
  const all = (pattern: RegExp) => misfits.every(({ cell }) => pattern.test(cell))
  if (takes === 'a date' && all(/^\d{1,2}\.\d{1,2}\.\d{4}$/)) return [`${path} is written day first: declare it with reads: "d.M.yyyy"`]
  if (takes === 'a date' && all(/^\d{1,2}\/\d{1,2}\/\d{4}$/))
    return [`${path} is written with strokes: declare it with reads: "d/M/yyyy" or "M/d/yyyy"`]
  if ((takes === 'a number' || takes === 'an integer') && all(/^\d{1,3}(?:\.\d{3})*,\d+$|^\d{1,3}(?:\.\d{3})+$/))
    return [`${path} uses points and commas the other way round: set locale: de in dunelight.yaml, or --locale de`]
  if (takes === 'a boolean') return [`${path} has other marks: declare it with reads: mark if any text means yes`]
  return []
}
