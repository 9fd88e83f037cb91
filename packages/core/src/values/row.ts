import { accept, acceptType, topLevel } from './accept.js'
import { readCell } from './cells.js'
import { clip, own, put } from './data.js'
import type { Declared } from './types.js'
import { problem, type Problem } from '../problems/problem.js'

/** A row as accepted values, in the order of the prompt's variables, or what is wrong with it. */
export type RowResult =
  | { readonly accepted: readonly unknown[]; readonly problems?: undefined }
  | { readonly accepted?: undefined; readonly problems: readonly Problem[] }

interface Column {
  readonly index: number
  readonly heading: string
  readonly declared: Declared
}

/** Headings match names without regard to case, blanks and punctuation. */
export function foldHeading(text: string): string {
  return text
    .normalize('NFKC')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, '')
}

/**
 * Turns rows of a table into the values of a prompt. Where the prompt's one record variable is meant, the columns are its fields; else they
 * are the variables themselves. Values that are the same for all rows are given beside.
 */
export class RowReader {
  /** What is wrong with the headings: columns that are missing, used twice or not at all. */
  readonly problems: readonly Problem[]
  private readonly columns: readonly Column[]
  private readonly record: Declared | undefined
  /** The values that no row changes: those given, and defaults. */
  private readonly standing: readonly unknown[]
  private readonly recordIndex: number
  /** The column by whose cell a record is called, where there is one. */
  private readonly idColumn: number

  constructor(
    private readonly variables: readonly Declared[],
    private readonly headings: readonly string[],
    given: Readonly<Record<string, unknown>> = {},
    private readonly locale?: string,
  ) {
    const problems: Problem[] = []
    const open = variables.filter((d) => !Object.hasOwn(given, d.name))
    for (const name of Object.keys(given)) {
      if (!variables.some((d) => d.name === name)) problems.push(problem('value-undeclared', { name, known: variables.map((d) => d.name) }))
    }
    this.record = soleRecord(open)
    if (this.record) for (const d of open) if (d !== this.record && isNeeded(d)) problems.push(problem('value-missing', { path: d.name }))
    this.recordIndex = this.record ? variables.indexOf(this.record) : -1
    this.standing = variables.map((d) =>
      open.includes(d) ? (d.default ?? null) : accept(own(given, d.name), d, topLevel(d.name), (p) => problems.push(p)),
    )
    const targets = this.record?.type.kind === 'record' ? (this.record.type.fields ?? []) : open
    this.columns = matchColumns(targets, headings, problems)
    this.problems = problems
    this.idColumn = this.columns.find((c) => ID.test(foldHeading(c.declared.name)))?.index ?? -1
  }

  /** The record's id: the cell of a column called number, id or the like, else the row's number. */
  id(cells: readonly string[], row: number): string {
    const own = this.idColumn >= 0 ? (cells[this.idColumn] ?? '').trim() : ''
    return own === '' ? String(row) : own
  }

  /** `row` counts the rows below the heading from 1. */
  read(cells: readonly string[], row: number): RowResult {
    if (cells.length !== this.headings.length)
      return { problems: [problem('row-ragged', { row, cells: cells.length, expected: this.headings.length })] }
    const problems: Problem[] = []
    const found: Record<string, unknown> = {}
    for (const column of this.columns) put(found, column.declared.name, this.readColumn(column, cells[column.index] ?? '', row, problems))
    if (problems.length > 0) return { problems }
    const accepted = [...this.standing]
    if (this.record) accepted[this.recordIndex] = found
    else this.variables.forEach((d, i) => Object.hasOwn(found, d.name) && (accepted[i] = found[d.name]))
    return { accepted }
  }

  private readColumn({ heading, declared }: Column, cell: string, row: number, problems: Problem[]): unknown {
    const before = problems.length
    const refuse = (expected: string, hint?: string) =>
      problems.push(problem('cell-unfit', { row, column: heading, cell: clip(cell), expected, hint }))
    const value = readCell(cell, declared.type, this.locale, (expected) => refuse(expected, numberWithin(cell, declared)))
    if (problems.length > before) return null
    if (value === null) {
      if (declared.default !== undefined) return declared.default
      if (!declared.optional) problems.push(problem('cell-missing', { row, column: heading }))
      return null
    }
    // Bounds are looked at here, so that the row and the column are named.
    return acceptType(value, declared.type, topLevel(declared.name), (p) => refuse(boundWords(p)))
  }
}

const ID = /^(?:id|no|number|objectno|key|code|name)$/

/** The one record variable that has no value yet, if all others that need one are of kinds that no cell holds. */
function soleRecord(open: readonly Declared[]): Declared | undefined {
  const records = open.filter((d) => d.type.kind === 'record' && d.type.fields)
  const needed = open.filter((d) => isNeeded(d) && d.type.kind !== 'file' && d.type.kind !== 'turns')
  return records.length === 1 && needed.every((d) => d === records[0]) ? records[0] : undefined
}

function isNeeded(d: Declared): boolean {
  return !d.optional && d.default === undefined
}

function matchColumns(targets: readonly Declared[], headings: readonly string[], problems: Problem[]): Column[] {
  const folded = headings.map(foldHeading)
  const columns: Column[] = []
  const used = new Set<number>()
  for (const declared of targets) {
    const wanted = foldHeading(declared.name)
    const matching = folded.flatMap((name, i) => (name === wanted && name !== '' ? [i] : []))
    const [index] = matching
    if (matching.length > 1) problems.push(problem('heading-twice', { heading: headings[matching[1]!]! }))
    if (index !== undefined) {
      columns.push({ index, heading: headings[index]!, declared })
      for (const one of matching) used.add(one)
    } else if (!declared.optional && declared.default === undefined)
      problems.push(problem('heading-missing', { variable: declared.name, known: headings.filter((h) => h !== '') }))
  }
  headings.forEach((heading, i) => {
    if (!used.has(i)) problems.push(problem('heading-unused', { heading, known: targets.map((t) => t.name) }))
  })
  return columns
}

function boundWords(p: Problem): string {
  return p.code === 'value-bounds' ? `allowed: it ${p.data.says}` : p.message
}

/** "c. 1890" is no whole number, but holds one: the likeliest mend. */
function numberWithin(cell: string, declared: Declared): string | undefined {
  if (declared.type.kind !== 'integer' && declared.type.kind !== 'number') return undefined
  const digits = /\d[\d.,]*/.exec(cell)?.[0].replace(/[.,]$/, '')
  return digits !== undefined && digits !== cell.trim() ? `write ${digits} if that is meant` : undefined
}
