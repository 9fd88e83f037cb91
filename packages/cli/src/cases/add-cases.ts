import { ProblemError, type Library } from 'dunelight'
import { readCell, type Declared } from 'dunelight/parts'
import { foldHeading, problem, type CaseRows, type PreparedSet, defined } from 'dunelight/host'
import { appendCases, isMockMark } from '@dunelight/node/host'
import { colorsFor, EXIT, plural, type CommandContext } from '../ui/context.js'

/** Which rows are added, and whether they are written. */
export interface AddCasesFlags {
  readonly keep?: string
  readonly dryRun?: boolean
  readonly allowMock?: boolean
}

/** @throws ProblemError if the library has no such set. */
export function setNamed(library: Library, name: string): PreparedSet {
  const set = library.sets.get(name)
  if (!set) throw new ProblemError([problem('use-unknown', { name, what: 'example set', known: [...library.sets.keys()] })])
  return set
}

const MOCK_ANSWER = 'its answer comes from the mock model; --allow-mock adds it'

interface Row {
  /** Below the heading, from 1. */
  readonly number: number
  /** By the names of `names`. */
  readonly values: readonly unknown[]
  readonly unfit: string | undefined
}

/** Rows become cases of a set; rows that break the set's rules are refused, and the rest is added. `mocks`: the places of rows that a mock model answered, counted from 0. */
export async function addCases(
  context: CommandContext,
  folder: string,
  library: Library,
  name: string,
  rows: CaseRows,
  { mocks, ...flags }: AddCasesFlags & { readonly mocks?: ReadonlySet<number> },
): Promise<number> {
  const set = setNamed(library, name)
  const names = namesOf(rows, set)
  const isMock = (row: Row) => mocks?.has(row.number - 1) ?? row.values.some((value, i) => isMockMark(names[i]?.column, value))
  const read = rowsOf(rows, names).map((row) => (!flags.allowMock && isMock(row) ? { ...row, unfit: MOCK_ANSWER } : row))
  const keeps =
    flags.keep === undefined
      ? () => true
      : library.keep(
          flags.keep,
          names.map(({ declared }) => declared),
        )
  const kept = read.filter((row) => keeps(row.values))
  const fields = set.model.fields.map((field) => names.findIndex(({ declared }) => declared.name === field.name))
  const values = kept.map((row) => Object.fromEntries(set.model.fields.map((field, i) => [field.name, row.values[defined(fields[i])]])))
  const tried = library.tryCases(name, values)
  const refused = kept.map((row, i) => row.unfit ?? defined(tried[i])[0]?.message)
  const c = colorsFor(context.stderr, context.env)
  kept.forEach((row, i) => {
    if (refused[i] !== undefined) context.stderr.write(`${c.yellow('refused')} row ${row.number}: ${refused[i]}\n`)
  })
  const good = kept.flatMap((row, i) =>
    refused[i] === undefined
      ? [{ values: defined(values[i]), beside: Object.fromEntries(names.map(({ column }, position) => [column, row.values[position]])) }]
      : [],
  )
  const to = flags.dryRun || good.length === 0 ? undefined : await appendCases(folder, set.model, good)
  const added = flags.dryRun
    ? `${plural(good.length, 'case')} would be added`
    : `${plural(good.length, 'case')} added${to === undefined ? '' : ` → ${to}`}`
  context.stderr.write(`${plural(read.length, 'row')}, ${kept.length} selected, ${added}\n`)
  return refused.some((why) => why !== undefined) ? EXIT.rejected : EXIT.done
}

interface Named {
  readonly declared: Declared
  /** Its column, or its key. */
  readonly column: string
}

/** What the table's columns are called in a condition: the set's fields by their names, all others as words joined by `-`. */
function namesOf(rows: CaseRows, { model }: PreparedSet): Named[] {
  const columns = rows.kind === 'cells' ? rows.headings : [...new Set(rows.records.flatMap((record) => Object.keys(record ?? {})))]
  const missing = model.fields.filter(
    (field) => !field.optional && field.default === undefined && !columns.some((column) => foldHeading(column) === foldHeading(field.name)),
  )
  if (missing[0]) throw new ProblemError([problem('heading-missing', { variable: missing[0].name, known: columns })])
  return columns.map((column) => {
    const field = model.fields.find((field) => foldHeading(field.name) === foldHeading(column))
    const name = column
      .trim()
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, '-')
      .replace(/^-|-$/g, '')
    return { column, declared: field ?? { name, type: { kind: 'text' }, optional: true, untrusted: false, span: undefined } }
  })
}

function rowsOf(rows: CaseRows, names: readonly Named[]): Row[] {
  if (rows.kind === 'records')
    return rows.records.map((record, i) => ({
      number: i + 1,
      values: names.map(({ column }) => (record as Record<string, unknown> | null)?.[column] ?? null),
      unfit: undefined,
    }))
  return rows.rows.map((cells, i) => {
    let unfit: string | undefined
    const values = names.map(({ declared, column }, position) =>
      readCell(
        cells[position] ?? '',
        declared.type,
        undefined,
        (expected) => (unfit ??= `column "${column}": "${cells[position] ?? ''}" is not ${expected}`),
      ),
    )
    return { number: i + 1, values, unfit }
  })
}
