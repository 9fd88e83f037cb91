import { extname } from 'node:path'
import { cellText, type AnswerColumn } from 'dunelight/parts'
import { sendScope, type Batch, type BatchRecord } from 'dunelight/host'
import type { Beside } from '../runs/outcome.js'
import { readEnding, rowWriting, type FinishedRow, type RowEnding, type RowOptions, type RowWriting } from './finished-row.js'

/** A file that some finished rows go to. */
export interface Route {
  readonly file: string
  readonly ending: RowEnding
  readonly takes: (record: BatchRecord, row: FinishedRow) => boolean
}

/** Where finished rows go in addition to, or instead of, the output: `send:` of a batch, and `--route` of a command. */
export class Router {
  private readonly routes: readonly (Route & { readonly writing: RowWriting })[]

  /** @param columns The columns of an answer. */
  constructor(routes: readonly Route[], columns: readonly AnswerColumn[], options?: RowOptions) {
    this.routes = routes.map((route) => ({ ...route, writing: rowWriting(route.ending, columns, options) }))
  }

  get files(): readonly string[] {
    return this.routes.map(({ file }) => file)
  }

  /** The text above the rows, by file. */
  heads(): Record<string, (headings: readonly string[]) => string> {
    return Object.fromEntries(this.routes.map(({ file, writing }) => [file, (headings) => writing.head(headings)]))
  }

  /** What each file gets of a row. */
  lines(record: BatchRecord, row: FinishedRow, headings: readonly string[]): readonly Beside[] {
    return this.routes.filter(({ takes }) => takes(record, row)).map(({ file, writing }) => [file, writing.line(row, headings)] as const)
  }
}

/**
 * The router of a batch's `send:`, to files of its run's folder.
 *
 * @throws ProblemError if a condition names what is not there, or a path has an ending that no table has.
 */
export function sendRouter({ prompt, answerColumns, library, model }: Batch): Router {
  const { variables } = prompt
  const scope = sendScope({ variables, answerColumns })
  const routes = model.send.map(({ when, path }, i): Route => {
    const ending = readEnding(path)
    const keeps = library?.keep(when.condition, scope) ?? (() => false)
    return {
      file: `sent-${i + 1}${ending}`,
      ending,
      takes: ({ id, prepared }, { answer, about }) => {
        const values = prepared?.values ?? {}
        const run = { model: about?.['model'], prompt: prompt.name, record: id }
        return keeps([answer, run, ...variables.map(({ name }) => values[name])])
      },
    }
  })
  return new Router(routes, answerColumns, { raw: model.rawCells, flatten: model.flatten })
}

/** The router of a column's labels, each to a file: `graded.on-loan.csv` gets the rows of `graded.csv` that are labelled "on loan". */
export function labelRouter(
  to: string,
  column: string,
  labels: readonly string[],
  columns: readonly AnswerColumn[],
  options?: RowOptions,
): Router {
  const ending = readEnding(to)
  const stem = to.slice(0, to.length - extname(to).length)
  const routes = labels.map((label): Route => ({
    file: `${stem}.${label.replace(/[^\p{L}\p{N}_-]+/gu, '-')}${extname(to)}`,
    ending,
    takes: (_, { answer }) => cellText(answer[column]) === label,
  }))
  return new Router(routes, columns, options)
}
