import { basename, dirname, extname, join } from 'node:path'
import type { Writable } from 'node:stream'
import { cellText } from 'dunelight'
import { ROW_ENDINGS, rowWriting, type FinishedRow, type RowWriting } from '@dunelight/node'
import { closed, resultFile } from '../result-file.js'
import { WrongUse } from '../surroundings.js'

/** The writing of a file by its ending; standard output is CSV. `columns` are those of the answer. */
export function writingFor(path: string | undefined, columns: readonly string[]): RowWriting {
  const ending = path === undefined ? '.csv' : extname(path).toLowerCase()
  const known = ROW_ENDINGS.find((one) => one === ending)
  if (!known) throw new WrongUse(`"${ending}" is no ending of a table`, 'name a file .csv, .tsv or .jsonl')
  return rowWriting(known, columns)
}

/** The files that finished rows go to: one, or one a label. */
export class TableFiles {
  private readonly open = new Map<string, Writable>()

  constructor(
    private readonly to: string | undefined,
    private readonly out: Writable,
    private readonly writing: RowWriting,
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
