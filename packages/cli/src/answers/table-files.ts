import { basename, dirname, extname, join } from 'node:path'
import type { Writable } from 'node:stream'
import { cellText } from 'dunelight'
import Papa from 'papaparse'
import { closed, resultFile } from '../result-file.js'
import { WrongUse } from '../surroundings.js'

/** A row of the finished table: the record's cells, and what the answer put beside them. */
export interface FinishedRow {
  readonly cells: readonly unknown[]
  readonly answer: Readonly<Record<string, unknown>>
  readonly repaired: readonly string[]
  readonly doubts: readonly string[]
}

/** How a finished row is written: one line of a file, and perhaps a line above all. */
interface Writing {
  readonly head: (headings: readonly string[]) => string
  readonly line: (row: FinishedRow, headings: readonly string[]) => string
}

const REPAIRED = 'repaired'
const VERIFY = 'to verify'

/** The writing of a file by its ending; standard output is CSV. `columns` are those of the answer. */
export function writingFor(path: string | undefined, columns: readonly string[]): Writing {
  const ending = path === undefined ? '.csv' : extname(path).toLowerCase()
  if (ending === '.jsonl') return { head: () => '', line: (row, headings) => `${JSON.stringify(asRecord(row, headings, columns))}\n` }
  if (ending !== '.csv' && ending !== '.tsv') throw new WrongUse(`"${ending}" is no ending of a table`, 'name a file .csv, .tsv or .jsonl')
  const line = (cells: readonly unknown[]) =>
    `${Papa.unparse([cells.map(cellText)], { delimiter: ending === '.csv' ? ',' : '\t', newline: '\n' })}\n`
  return {
    head: (headings) => line([...headings, ...besides(headings, [...columns, REPAIRED, VERIFY])]),
    line: ({ cells, answer, repaired, doubts }) =>
      line([...cells, ...columns.map((name) => columnCell(answer[name])), repaired.join('; '), doubts.join('; ')]),
  }
}

/** The answer's columns under names that the record does not have. */
function besides(headings: readonly string[], columns: readonly string[]): string[] {
  const taken = new Set(headings.map((heading) => heading.toLowerCase()))
  return columns.map((name) => (taken.has(name.toLowerCase()) ? `answer.${name}` : name))
}

/** A value as a cell: a list of texts as people write it, if none of them holds the sign between. */
function columnCell(value: unknown): string {
  if (Array.isArray(value) && value.every((one) => typeof one === 'string' && !/[;[\n]/.test(one))) return value.join('; ')
  return cellText(value)
}

function asRecord({ cells, answer, repaired, doubts }: FinishedRow, headings: readonly string[], columns: readonly string[]) {
  return {
    row: Object.fromEntries(headings.map((heading, i) => [heading, cells[i] ?? ''])),
    answer: Object.fromEntries(columns.map((name) => [name, answer[name] ?? null])),
    ...(repaired.length > 0 && { repaired }),
    ...(doubts.length > 0 && { verify: doubts }),
  }
}

/** The files that finished rows go to: one, or one a label. */
export class TableFiles {
  private readonly open = new Map<string, Writable>()

  constructor(
    private readonly to: string | undefined,
    private readonly out: Writable,
    private readonly writing: Writing,
    private readonly options: {
      readonly route: string | undefined
      readonly overwrite: boolean
      readonly inputs: readonly (string | undefined)[]
    },
  ) {}

  /** Makes sure that all files can be written before the first row is. */
  async prepare(labels: readonly string[]): Promise<void> {
    const { route, overwrite, inputs } = this.options
    if (this.to === undefined) return
    const names = route === undefined ? [''] : labels
    const paths = names.map((label) => this.pathFor(label))
    const twice = paths.find((path, i) => paths.indexOf(path) < i)
    if (twice !== undefined) throw new WrongUse(`two labels would be written to ${twice}`, 'write one table, without --route')
    for (const [i, label] of names.entries()) this.open.set(label, await resultFile(paths[i]!, overwrite, inputs))
  }

  /** graded.csv is graded.on-loan.csv for the label "on loan". */
  private pathFor(label: string): string {
    const to = this.to!
    if (label === '') return to
    const ending = extname(to)
    return join(dirname(to), `${basename(to, ending)}.${label.replace(/[^\p{L}\p{N}_-]+/gu, '-')}${ending}`)
  }

  private begun = new Set<string>()

  write(row: FinishedRow, headings: readonly string[]): Promise<void> {
    const { route } = this.options
    const label = route === undefined ? '' : cellText(row.answer[route])
    const file = this.open.get(label) ?? this.out
    const head = this.begun.has(label) ? '' : this.writing.head(headings)
    this.begun.add(label)
    return new Promise((resolve, reject) =>
      file.write(head + this.writing.line(row, headings), (fault) => (fault ? reject(fault) : resolve())),
    )
  }

  /** Waits until all is on the disk; a file that got no row has its head alone. Gives the names of the files. */
  async close(headings: readonly string[]): Promise<string[]> {
    if (this.to === undefined) {
      if (this.begun.size === 0) this.out.write(this.writing.head(headings))
      return []
    }
    for (const [label, file] of this.open) {
      if (!this.begun.has(label)) file.write(this.writing.head(headings))
      await closed(file)
    }
    return [...this.open.keys()].map((label) => this.pathFor(label))
  }

  discard(): void {
    for (const file of this.open.values()) file.destroy()
  }
}
