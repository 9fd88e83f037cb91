import { defined } from '../invariant.js'
import { accept, acceptType, topLevel } from './accept.js'
import { cellText, isAmbiguous, readCell } from './cells.js'
import { clip, holds, lineEnds, own, trimmed } from './data.js'
import { isDate } from './dates.js'
import { TEXT, type Declared, type ValueType } from './types.js'
import { problem, type Problem } from '../problems/problem.js'

/** A row as accepted values, in the order of the prompt's variables, or what is wrong with it. */
export type RowResult =
  { readonly accepted: unknown[]; readonly problems?: undefined } | { readonly accepted?: undefined; readonly problems: readonly Problem[] }

/** How rows become values, if their headings alone do not determine it. */
export interface RowShape {
  /** Values that are the same for all rows. */
  readonly values?: Readonly<Record<string, unknown>>
  /** The locale in which numbers are written. */
  readonly locale?: string
  /** The record variable whose fields the columns are. */
  readonly as?: string
  /** The heading of a variable's or field's column, by its path, where the two are not alike. */
  readonly columns?: ReadonlyMap<string, string>
  /** Variables that get their values from elsewhere: tables that are joined. */
  readonly elsewhere?: ReadonlySet<string>
}

/** A variable or field with the column that gives it. */
export interface Column {
  readonly index: number
  readonly heading: string
  readonly declared: Declared
  readonly name: string
  /** Whether the heading was named for it, or is its name in another writing. */
  readonly how: 'named' | 'same' | 'alike'
  /** Its cell as a value; null where it is missing or, with a problem reported, unfit. */
  readonly read: (cell: unknown, row: number, problems: Problem[]) => unknown
}

/** Headings match names regardless of case, spaces and punctuation. */
export function foldHeading(text: string): string {
  return text
    .normalize('NFKC')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, '')
}

/**
 * Turns rows of a table into the values of a prompt. Where the prompt's one record variable is meant, the columns are its fields; else they
 * are the variables themselves. Values that are the same for all rows are passed separately.
 */
export class RowReader {
  /** What is wrong with the headings: columns that are missing, used twice or not at all. */
  readonly problems: readonly Problem[]
  readonly columns: readonly Column[]
  /** What columns could give: the fields of the record, or the variables. */
  readonly targets: readonly Declared[]
  /** The variable whose fields the columns are. */
  readonly record: Declared | undefined
  /** The values that no row changes: those given, and defaults. */
  readonly standing: readonly unknown[]
  /** The record's place among the variables; -1 without one. */
  readonly recordIndex: number
  /** The record before any column was read. */
  private readonly empty: Record<string, unknown>
  /** The columns of variables beside the record. */
  readonly beside: readonly Column[]
  /** Where the value of each of them goes; of all columns, where there is no record. */
  readonly places: readonly number[]

  constructor(
    variables: readonly Declared[],
    private readonly headings: readonly string[],
    { values = {}, locale, as, columns = NO_COLUMNS, elsewhere = NOWHERE }: RowShape = {},
  ) {
    const problems: Problem[] = []
    const names = variables.map((d) => d.name)
    const open = variables.filter((d) => !Object.hasOwn(values, d.name) && !elsewhere.has(d.name))
    for (const name of Object.keys(values)) if (!names.includes(name)) problems.push(problem('value-undeclared', { name, known: names }))
    this.record = as === undefined ? soleRecord(open, headings, columns) : open.find((d) => d.name === as && d.type.kind === 'record')
    if (as !== undefined && !this.record) problems.push(problem('record-undeclared', { name: as, known: names }))
    const beside = open.filter((d) => this.record !== undefined && d !== this.record && this.isBeside(d, columns))
    if (this.record)
      for (const d of open)
        if (d !== this.record && isNeeded(d) && !beside.includes(d)) problems.push(problem('value-missing', { path: d.name }))
    this.recordIndex = this.record ? variables.indexOf(this.record) : -1
    this.standing = variables.map((d) =>
      open.includes(d) || elsewhere.has(d.name)
        ? (d.default ?? null)
        : accept(own(values, d.name), d, topLevel(d.name), (p) => problems.push(p)),
    )
    const prefix = this.record && `${this.record.name}.`
    const named = pathsBelow(columns, prefix)
    if (this.record?.type.kind === 'record' && !this.record.type.fields) {
      this.columns = openColumns(headings, named, problems)
      this.targets = this.columns.map(({ declared }) => declared)
    } else {
      this.targets = this.record?.type.kind === 'record' ? (this.record.type.fields ?? []) : open
      this.columns = matchColumns(this.targets, headings, named, locale, problems)
    }
    const more: Problem[] = []
    this.beside = matchColumns(beside, headings, columns, locale, more)
    const used = new Set(this.beside.map(({ heading }) => heading))
    // A column is used if the record or a variable beside it takes it.
    this.problems = [
      ...problems.filter((p) => p.code !== 'heading-unused' || !used.has(p.data.heading)),
      ...more.filter((p) => p.code !== 'heading-unused'),
    ]
    this.empty = Object.fromEntries(this.columns.map((c) => [c.name, null]))
    this.places = (this.record ? this.beside : this.columns).map(({ declared }) => variables.indexOf(declared))
  }

  /** Whether a variable beside the record has a column: one that is named for it, or one of its name that is no field's. */
  private isBeside(d: Declared, columns: ReadonlyMap<string, string>): boolean {
    if (columns.has(d.name)) return true
    const name = foldHeading(d.name)
    const fields = this.record?.type.kind === 'record' ? this.record.type.fields : undefined
    const isTaken =
      !fields || fields.some((field) => foldHeading(columns.get(`${this.record?.name ?? ''}.${field.name}`) ?? field.name) === name)
    return !isTaken && d.type.kind !== 'turns' && this.headings.some((heading) => foldHeading(heading) === name)
  }

  /** `row` counts the rows below the heading from 1. */
  read(cells: readonly unknown[], row: number): RowResult {
    if (cells.length !== this.headings.length)
      return { problems: [problem('row-ragged', { row, cells: cells.length, expected: this.headings.length })] }
    const problems: Problem[] = []
    const accepted = this.standing.slice()
    const { columns, places } = this
    if (this.record) {
      // A copy of a record that has all the fields already: one made field by field would be moved several times on its way.
      const record = { ...this.empty }
      for (let i = 0; i < columns.length; i++) {
        const { index, name, read } = defined(columns[i])
        record[name] = read(cells[index], row, problems)
      }
      accepted[this.recordIndex] = record
    }
    const own = this.record ? this.beside : columns
    for (let i = 0; i < own.length; i++) accepted[defined(places[i])] = defined(own[i]).read(cells[defined(own[i]).index], row, problems)
    return problems.length > 0 ? { problems } : { accepted }
  }
}

const NO_COLUMNS: ReadonlyMap<string, string> = new Map()
const NOWHERE: ReadonlySet<string> = new Set()

/** The one record variable that has no value yet, or needs one, if all others that need one are of kinds that no cell holds. */
function soleRecord(open: readonly Declared[], headings: readonly string[], columns: ReadonlyMap<string, string>): Declared | undefined {
  // A column of the record's own name has whole records in it.
  const isColumn = ({ name }: Declared) => headings.some((heading) => foldHeading(heading) === foldHeading(name))
  const records = open.filter((d) => d.type.kind === 'record' && (d.type.fields ?? !isColumn(d)))
  const needed = open.filter((d) => isNeeded(d) && !columns.has(d.name) && d.type.kind !== 'file' && d.type.kind !== 'turns')
  const [only, other] = records.length === 1 ? records : records.filter(isNeeded)
  return !other && needed.every((d) => d === only) ? only : undefined
}

function isNeeded(d: Declared): boolean {
  return !d.optional && d.default === undefined
}

/** The named headings of a record's fields, by the fields; those of variables where there is no record. */
function pathsBelow(columns: ReadonlyMap<string, string>, prefix: string | undefined): ReadonlyMap<string, string> {
  if (prefix === undefined) return columns
  return new Map([...columns].map(([path, heading]) => [path.startsWith(prefix) ? path.slice(prefix.length) : path, heading]))
}

/** An open record has all columns, under their headings or the names that they are given. */
function openColumns(headings: readonly string[], named: ReadonlyMap<string, string>, problems: Problem[]): Column[] {
  const known = headings.filter((heading) => heading !== '')
  for (const [name, heading] of named)
    if (!headings.includes(heading)) problems.push(problem('column-unknown', { heading, variable: name, known }))
  const names = new Map([...named].map(([name, heading]) => [heading, name]))
  const seen = new Set<string>()
  return headings.flatMap((heading, index) => {
    const name = names.get(heading) ?? heading
    if (name === '') return []
    if (seen.has(name)) problems.push(problem('heading-duplicate', { heading }))
    seen.add(name)
    const declared: Declared = { name, type: TEXT, optional: true, untrusted: false, span: undefined }
    return [{ index, heading, declared, name, how: names.has(heading) ? 'named' : 'same', read: openCell }]
  })
}

/** A cell as it is: its type is known when it is rendered. */
function openCell(cell: unknown): unknown {
  if (cell === undefined || cell === null || (typeof cell === 'string' && cell.trim() === '')) return null
  return typeof cell === 'string' ? lineEnds(cell) : cell instanceof Date ? dateText(cell) : cell
}

function matchColumns(
  targets: readonly Declared[],
  headings: readonly string[],
  named: ReadonlyMap<string, string>,
  locale: string | undefined,
  problems: Problem[],
): Column[] {
  const folded = headings.map(foldHeading)
  const known = headings.filter((h) => h !== '')
  const columns: Column[] = []
  const used = new Set<number>()
  for (const declared of targets) {
    const heading = named.get(declared.name)
    const wanted = foldHeading(heading ?? declared.name)
    const exact = heading === undefined ? -1 : headings.indexOf(heading)
    const matching = exact >= 0 ? [exact] : folded.flatMap((name, i) => (name === wanted && name !== '' ? [i] : []))
    const [index] = matching
    if (matching.length > 1) problems.push(problem('heading-duplicate', { heading: defined(headings[defined(matching[1])]) }))
    if (index !== undefined) {
      const how = heading !== undefined ? 'named' : headings[index] === declared.name ? 'same' : 'alike'
      columns.push({
        index,
        heading: defined(headings[index]),
        declared,
        name: declared.name,
        how,
        read: cellReader(declared, defined(headings[index]), locale),
      })
      for (const number of matching) used.add(number)
    } else if (heading !== undefined) problems.push(problem('column-unknown', { heading, variable: declared.name, known }))
    else if (isNeeded(declared)) problems.push(problem('heading-missing', { variable: declared.name, known }))
  }
  const spare = headings.filter((_, i) => !used.has(i))
  for (const heading of spare) problems.push(problem('heading-unused', { heading, known: targets.map((t) => t.name) }))
  return columns
}

/**
 * How one column's cells are read. The content of most cells is read at once, since nearly all of a run's cells are that; the rest, with all
 * that can be wrong with a cell, is read the long way.
 */
function cellReader(declared: Declared, heading: string, locale: string | undefined): Column['read'] {
  const missing = (row: number, problems: Problem[]) => {
    if (declared.default !== undefined) return declared.default
    if (!declared.optional) problems.push(problem('cell-missing', { row, column: heading }))
    return null
  }
  const long = longReader(declared, heading, locale, missing)
  const quick = quickReader(declared.type)
  if (!quick) return long
  const fits = typedTest(declared.type)
  return (cell, row, problems) => {
    if (cell === null || cell === undefined) return missing(row, problems)
    if (typeof cell !== 'string') return fits(cell) ? cell : long(cell, row, problems)
    const text = trimmed(cell)
    if (text === '') return missing(row, problems)
    const value = quick(text)
    return value === undefined ? long(cell, row, problems) : value
  }
}

/** Values that are no text come from typed tables, and are taken as they are where they fit. */
function longReader(
  declared: Declared,
  heading: string,
  locale: string | undefined,
  missing: (row: number, problems: Problem[]) => unknown,
) {
  const { type } = declared
  const where = topLevel(declared.name)
  return (content: unknown, row: number, problems: Problem[]): unknown => {
    const cell = content instanceof Date ? dateText(content) : content
    const before = problems.length
    const refuse = (expected: string, hint?: string, isBound = false) => {
      const data = { row, column: heading, cell: clip(cellText(cell)), expected, hint, ...(isBound && { isBound }) }
      if (problems.length === before) problems.push(problem('cell-invalid', data))
    }
    const text =
      typeof cell === 'string' ? cell : isPlain(cell) && (type.kind === 'text' || type.kind === 'choice') ? String(cell) : undefined
    const value =
      text === undefined
        ? (cell ?? null)
        : readCell(text, type, locale, (expected) => refuse(expected, numberWithin(text, declared, locale)))
    if (problems.length > before) return null
    if (value === null) return missing(row, problems)
    // Bounds are checked here, so that the problem names the row and the column.
    return acceptType(value, type, where, (p) => refuse(boundWords(p), undefined, p.code === 'value-bounds'))
  }
}

const WHOLE = /^-?\d{1,15}$/

/** Reads what is plainly as it should be, trimmed and not empty; undefined for everything else. None for a type whose cells need more. */
function quickReader(type: ValueType): ((text: string) => unknown) | undefined {
  switch (type.kind) {
    case 'text':
      return isUnbound(type) ? lineEnds : undefined
    case 'integer':
    case 'number': {
      const { min = -Infinity, max = Infinity } = type
      return (text) => {
        if (!WHOLE.test(text)) return undefined
        const number = Number(text)
        return number >= min && number <= max ? number : undefined
      }
    }
    case 'choice': {
      const known = new Map(type.of.map((option) => [option, option]))
      return (text) => known.get(text)
    }
    case 'date':
      return isUnbound(type) ? (text) => (isDate(text) ? text : undefined) : undefined
    case 'list': {
      if (type.item.kind !== 'text' || !isUnbound(type.item) || !isUnbound({ ...type, item: undefined, splits: undefined }))
        return undefined
      const character = type.splits ?? ';'
      const split = (text: string) =>
        text.startsWith('[') ? undefined : holds(text, character) ? splitList(text, character) : [lineEnds(text)]
      return remembered(split)
    }
    default:
      return undefined
  }
}

/** Recognises cells of a typed table that need no conversion. */
function typedTest(type: ValueType): (cell: unknown) => boolean {
  switch (type.kind) {
    case 'integer':
    case 'number': {
      const { min = -Infinity, max = Infinity } = type
      const whole = type.kind === 'integer' ? Number.isInteger : Number.isFinite
      return (cell) => typeof cell === 'number' && whole(cell) && cell >= min && cell <= max
    }
    case 'list':
      return (cell) => Array.isArray(cell) && cell.every((item) => typeof item === 'string' && item !== '' && !holds(item, '\r'))
    default:
      return () => false
  }
}

/** A column's lists are mostly the same few, and cutting one is dearer than finding it again. */
function remembered<V>(read: (text: string) => readonly V[] | undefined): (text: string) => readonly V[] | undefined {
  const known = new Map<string, readonly V[]>()
  return (text) => {
    const before = known.get(text)
    if (before) return before
    const items = read(text)
    if (items && text.length <= LONG) {
      if (known.size === MOST_REMEMBERED) known.clear()
      // Cells are pieces of a whole part of the table, which a key would keep: it is written out.
      known.set(` ${text}`.slice(1), Object.freeze(items))
    }
    return items
  }
}

const LONG = 200
const MOST_REMEMBERED = 1000

function splitList(text: string, character: string): string[] | undefined {
  const items: string[] = []
  for (const part of text.split(character)) {
    const item = trimmed(part)
    if (item !== '') items.push(lineEnds(item))
  }
  return items.length > 0 ? items : undefined
}

/** Whether nothing is asked of a value but its kind. */
export function isUnbound(type: object): boolean {
  return Object.entries(type).every(([key, bound]) => key === 'kind' || bound === undefined)
}

function isPlain(cell: unknown): cell is number | boolean | bigint {
  return typeof cell === 'number' || typeof cell === 'boolean' || typeof cell === 'bigint'
}

/** A date of a typed table: the day alone where it has no time. */
function dateText(date: Date): string {
  const iso = Number.isNaN(date.getTime()) ? '' : date.toISOString()
  return iso.endsWith('T00:00:00.000Z') ? iso.slice(0, 10) : iso
}

function boundWords(p: Problem): string {
  // The cell is named already: `is below 1500: 1200`.
  if (p.code === 'value-bounds')
    return p.data.detail
      .replace(/: [^:]*$/, '')
      .replace(/^is (below|above) /, (_, side) => `is ${side} the ${side === 'below' ? 'minimum' : 'maximum'} `)
  return p.code === 'value-invalid' ? p.data.expected : p.message
}

/** "c. 1890" is not a whole number, but contains one: the likeliest fix. */
function numberWithin(cell: string, declared: Declared, locale: string | undefined): string | undefined {
  if (declared.type.kind !== 'integer' && declared.type.kind !== 'number') return undefined
  if (locale === undefined && isAmbiguous(cell))
    return 'set locale: in dunelight.yaml to that of the numbers, such as en or de, or use --locale'
  const digits = /\d[\d.,]*/.exec(cell)?.[0].replace(/[.,]$/, '')
  return digits !== undefined && digits !== cell.trim() ? `write ${digits} if that is meant` : undefined
}
