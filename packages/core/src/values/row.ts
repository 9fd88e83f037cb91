import { accept } from './accept.js'
import { readCell } from './cells.js'
import { clip, put } from './data.js'
import type { Declared } from './types.js'
import { problem, type Problem } from '../problems/problem.js'

/** A row as values of a prompt, or what is wrong with it. */
export type RowResult =
  | { readonly values: Readonly<Record<string, unknown>>; readonly problems?: undefined }
  | { readonly values?: undefined; readonly problems: readonly Problem[] }

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
  /** The column by whose cell a record is called, where there is one. */
  readonly idColumn: number

  constructor(
    variables: readonly Declared[],
    private readonly headings: readonly string[],
    private readonly given: Readonly<Record<string, unknown>> = {},
    private readonly locale?: string,
  ) {
    const open = variables.filter((d) => !Object.hasOwn(given, d.name))
    this.record = soleRecord(open)
    const targets = this.record?.type.kind === 'record' ? (this.record.type.fields ?? []) : open
    const problems: Problem[] = []
    this.columns = matchColumns(targets, headings, problems)
    this.problems = problems
    this.idColumn = this.columns.find((c) => /^(?:id|no|number|objectno|key|code|name)$/.test(foldHeading(c.declared.name)))?.index ?? -1
  }

  /** The record's id: the cell of a column called number, id or the like, else the row's number. */
  id(cells: readonly string[], row: number): string {
    const own = this.idColumn >= 0 ? (cells[this.idColumn] ?? '').trim() : ''
    return own === '' ? String(row) : own
  }

  /** `row` counts the rows below the heading from 1. */
  read(cells: readonly string[], row: number): RowResult {
    const problems: Problem[] = []
    if (cells.length !== this.headings.length)
      return { problems: [problem('row-ragged', { row, cells: cells.length, expected: this.headings.length })] }
    const target: Record<string, unknown> = {}
    for (const { index, heading, declared } of this.columns) {
      const cell = cells[index] ?? ''
      const before = problems.length
      const value = readCell(cell, declared.type, this.locale, (expected) =>
        problems.push(problem('cell-unfit', { row, column: heading, cell: clip(cell), expected, hint: numberWithin(cell, declared) })),
      )
      if (problems.length > before) continue
      if (value === null && !declared.optional && declared.default === undefined)
        problems.push(problem('cell-missing', { row, column: heading }))
      else {
        // Bounds are looked at here, so that the row and the column are named.
        accept(value, declared, declared.name, (p) =>
          problems.push(problem('cell-unfit', { row, column: heading, cell: clip(cell), expected: boundWords(p) })),
        )
        put(target, declared.name, value)
      }
    }
    if (problems.length > 0) return { problems }
    return { values: this.record ? { ...this.given, [this.record.name]: target } : { ...this.given, ...target } }
  }
}

/** The one record variable that has no value yet, if it is the only variable that needs one. */
function soleRecord(open: readonly Declared[]): Declared | undefined {
  const records = open.filter((d) => d.type.kind === 'record' && d.type.fields)
  const needed = open.filter((d) => !d.optional && d.default === undefined)
  return records.length === 1 && needed.every((d) => d === records[0]) ? records[0] : undefined
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
