import { defined } from '../invariant.js'
import type { ExampleCase, ExampleSetModel } from '../artefacts/artefacts.js'
import { caseOf } from '../artefacts/examples.js'
import { problem, type Problem, type Report } from '../problems/problem.js'
import { RowReader } from '../values/row.js'

/** The rows of a table that a set takes cases from: cells as text, or records as plain data. */
export type CaseRows =
  | { readonly kind: 'cells'; readonly headings: readonly string[]; readonly rows: readonly (readonly string[])[] }
  | { readonly kind: 'records'; readonly records: readonly unknown[] }

/** A set with the cases of its table behind its own. Rows that do not fit are reported with their number and column. */
export function withRows(set: ExampleSetModel, tables: Readonly<Record<string, CaseRows | string>>, report: Report): ExampleSetModel {
  if (!set.from) return set
  const { path, span } = set.from
  const rows = Object.hasOwn(tables, path) ? defined(tables[path]) : 'the library was opened without it'
  if (typeof rows === 'string') {
    report(problem('cases-missing', { path, why: rows }, span))
    return set
  }
  const first = set.cases.length + 1
  const cases =
    rows.kind === 'cells'
      ? cellCases(set, rows, first, report)
      : rows.records.map((record, i) => ({ number: first + i, values: caseOf(record, first + i, set.fields, span, report), span }))
  return { ...set, cases: [...set.cases, ...cases] }
}

function cellCases(
  set: ExampleSetModel,
  { headings, rows }: Extract<CaseRows, { kind: 'cells' }>,
  first: number,
  report: Report,
): ExampleCase[] {
  const { path, span } = defined(set.from)
  const reader = new RowReader(set.fields, headings)
  const reject = (p: Problem) => report(problem('case-row-invalid', { path, why: p.message, fix: p.hint }, span))
  const errors = reader.problems.filter((p) => p.severity === 'error')
  for (const p of errors) reject(p)
  if (errors.length > 0) return []
  return rows.flatMap((cells, i) => {
    const { accepted, problems } = reader.read(cells, i + 1)
    for (const p of problems ?? []) reject(p)
    return accepted
      ? [{ number: first + i, values: Object.fromEntries(set.fields.map((field, position) => [field.name, accepted[position]])), span }]
      : []
  })
}
