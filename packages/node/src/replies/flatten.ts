import { ProblemError } from 'dunelight'
import type { AnswerColumn } from 'dunelight/parts'
import { columnOfPath, problem } from 'dunelight/host'

type Answer = Readonly<Record<string, unknown>>

/** Where a column of flat rows comes from: an answer's column, or a field of its record or of one item of its list. */
interface FlatColumn {
  readonly name: string
  readonly from: string
  readonly field: string | undefined
}

/** An answer as flat rows: one for each item of a list, with a column for each field of a record. */
export class Flattening {
  private readonly flat: readonly FlatColumn[]
  private readonly list: string | undefined

  /**
   * @param columns - The columns of an answer.
   * @param paths - What becomes flat: `answer.rows`, `answer.maker`; `answer` alone only gives JSON lines flat rows.
   * @throws ProblemError if a path names no list or record, or two lists.
   */
  constructor(columns: readonly AnswerColumn[], paths: readonly string[]) {
    const names = paths.map(columnOfPath).filter((name) => name !== '')
    const nested = columns.filter((column) => column.nested !== undefined)
    for (const name of names)
      if (!nested.some((column) => column.name === name))
        throw new ProblemError([problem('flatten-invalid', { name, known: nested.map((column) => column.name) })])
    const lists = names.filter((name) => nested.some((column) => column.name === name && column.nested === 'list'))
    if (lists.length > 1) throw new ProblemError([problem('flatten-lists', { names: lists })])
    this.list = lists[0]
    const taken = new Set(columns.map(({ name }) => name).filter((name) => !names.includes(name)))
    this.flat = columns.flatMap(({ name, fields }): FlatColumn[] => {
      if (!names.includes(name) || !fields) return [{ name, from: name, field: undefined }]
      return fields.map((field) => {
        const free = taken.has(field) ? `${name}.${field}` : field
        taken.add(free)
        return { name: free, from: name, field }
      })
    })
  }

  get columns(): readonly string[] {
    return this.flat.map(({ name }) => name)
  }

  /** An empty list gives no row. */
  rows(answer: Answer): Answer[] {
    if (this.list === undefined) return [this.row(answer)]
    const items = answer[this.list]
    return (Array.isArray(items) ? (items as unknown[]) : []).map((item) => this.row({ ...answer, [this.list as string]: item }))
  }

  private row(answer: Answer): Answer {
    return Object.fromEntries(
      this.flat.map(({ name, from, field }) => {
        const value = answer[from]
        return [name, field === undefined ? value : ((value as Answer | null | undefined)?.[field] ?? null)]
      }),
    )
  }
}
