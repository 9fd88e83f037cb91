import { extname } from 'node:path'
import { ProblemError, type PreparedValues, type Turn } from 'dunelight'
import { problem, utf8Bytes, type Batch, type BatchRecord, type Line, defined } from 'dunelight/host'
import { csvLine, safeCell } from '../output/cells.js'
import { OUTPUT_ENDINGS, type OutputEnding } from '../runs/output-endings.js'

/** What a record is written as, in UTF-8 with one character for each byte. */
export interface OutputForm {
  /** The text above all records. */
  readonly head: string
  readonly record: (record: BatchRecord, prepared: PreparedValues, line: Line) => string
}

/** The columns besides those of the source. */
export const BESIDE_COLUMNS = ['record', 'prompt'] as const

/** JSON Lines. */
export const LINES: OutputForm = { head: '', record: (_, __, line) => `${line.bytes}\n` }

/**
 * The form of an output by its ending. Spreadsheets and Parquet cannot be carried on where they broke off: while the run goes on they are lines
 * of cells, and are converted at its end.
 *
 * `headings` are all of the source: the columns of a table, to which the prompts are added.
 *
 * @throws ProblemError where nothing is written with that ending.
 */
export function outputForm(path: string, batch: Batch, headings: readonly string[]): OutputForm {
  const ending = extname(path).toLowerCase()
  const options = { raw: batch.model.rawCells }
  if (batch.perRecord)
    return ending === '.json' ? LINES : { head: '', record: (record, prepared) => utf8Bytes(`${textOf(record, prepared, batch)}\n`) }
  switch (ending as OutputEnding) {
    case '.jsonl':
      return LINES
    case '.csv':
    case '.tsv':
      return tableForm(batch, headings, (cells) => csvLine(cells, ending, options))
    case '.xlsx':
      return tableForm(batch, headings, (cells) =>
        JSON.stringify(cells.map((cell) => (typeof cell === 'string' ? safeCell(cell, options) : cell))),
      )
    case '.parquet':
      return tableForm(batch, headings, (cells) => JSON.stringify(cells))
    default:
      throw new ProblemError([problem('output-ending', { path, known: [...OUTPUT_ENDINGS] })])
  }
}

function tableForm(batch: Batch, headings: readonly string[], write: (cells: readonly unknown[]) => string): OutputForm {
  const row = (cells: readonly unknown[]) => utf8Bytes(`${write(cells)}\n`)
  return {
    head: row([...headings, ...besides(headings)]),
    record: (record, prepared) => {
      // Records of a list that came before a key was first seen have no cell for it.
      const cells = headings.map((_, i) => record.cells[i] ?? null)
      return row([...cells, record.id, textOf(record, prepared, batch)])
    },
  }
}

/** Names that no column of the source has. */
function besides(headings: readonly string[]): string[] {
  const taken = new Set(headings.map((heading) => heading.toLowerCase()))
  return BESIDE_COLUMNS.map((name) => (taken.has(name) ? `dunelight ${name}` : name))
}

/** A prompt as one text: that of its only turn, or of all turns, each below its role. */
function textOf(record: BatchRecord, prepared: PreparedValues, batch: Batch): string {
  const { model, locale } = batch
  const options = { record: record.id, ...(model.seed !== undefined && { seed: model.seed }), ...(locale !== undefined && { locale }) }
  return batch
    .requests(prepared, options)
    .map(({ turns }) => turnsText(turns))
    .join('\n\n---\n\n')
}

export function turnsText(turns: readonly Turn[]): string {
  const [only] = turns
  if (turns.length === 1) return defined(only).text
  return turns.map(({ role, text }) => `${role}:\n${text}`).join('\n\n')
}
