import { Misread, readTextTable, textFormatOf } from '@dunelight/tables'
import { ProblemError, type Problem, type Prompt } from 'dunelight'
import { cellText } from 'dunelight/parts'

/** One row of a table, as the list shows it and as the prompt takes it. */
export interface DeskObject {
  readonly id: string
  readonly title: string
  readonly values: Readonly<Record<string, unknown>> | undefined
  readonly problems: readonly Problem[]
}

/** A table that was read for a prompt, with the problems of the table as a whole. */
export interface DeskTable {
  readonly name: string
  readonly objects: readonly DeskObject[]
  readonly problems: readonly Problem[]
}

/** Rows beyond these are left out: the list is for looking at some, not for a run. */
const MOST = 20_000

/**
 * A file's rows, read for a prompt as they arrive. What keeps the whole table from being used stands in its problems, never thrown; rows that do
 * not fit keep what is wrong with them.
 */
export async function readTable(file: File, prompt: Prompt): Promise<DeskTable> {
  const objects: DeskObject[] = []
  const problems: Problem[] = []
  try {
    const table = readTextTable(file.stream(), textFormatOf(file.name) ?? 'csv', { name: file.name, notice: (p) => problems.push(p) })
    for await (const { headings, rows } of table) {
      const reader = prompt.reader(headings)
      const errors = reader.problems.filter((p) => p.severity === 'error')
      if (errors.length > 0) return { name: file.name, objects: [], problems: [...problems, ...errors] }
      const title = headings.findIndex((heading) => /^title$/i.test(heading))
      const number = headings.findIndex((heading) => /^(?:object )?no\.?$/i.test(heading))
      for (const cells of rows) {
        const row = objects.length + 1
        if (cells instanceof Misread) objects.push({ id: String(row), title: '', values: undefined, problems: [cells.problem] })
        else {
          const read = reader.read(cells, row)
          objects.push({
            id: number < 0 ? String(row) : cellText(cells[number]),
            title: cellText(cells[title]),
            values: read.prepared?.values,
            problems: read.problems,
          })
        }
      }
      if (objects.length >= MOST) break
    }
  } catch (fault) {
    if (!(fault instanceof ProblemError)) throw fault
    problems.push(...fault.problems)
  }
  return { name: file.name, objects, problems }
}
