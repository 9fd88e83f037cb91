import { problemRecord, ProblemError, type ProblemRecord } from 'dunelight'
import { acceptedCase, defined, problem } from 'dunelight/host'
import { openLibrary, readRun, readyModel, Review } from '@dunelight/node'
import { isAskRun, rowCells, rowWriting, safeCell, spreadsheet, type ReviewedRecord, type ReviewResult } from '@dunelight/node/host'
import { addCases, setNamed } from '../cases/add-cases.js'
import type { DeskRuns } from './desk-runs.js'
import type { Session } from './session.js'

/** A record of a run as the page shows it: problems as data. */
export interface ShownRecord extends Omit<ReviewedRecord, 'candidates' | 'problems'> {
  readonly candidates: readonly (Omit<ReviewedRecord['candidates'][number], 'problems'> & { readonly problems: readonly ProblemRecord[] })[]
  readonly problems: readonly ProblemRecord[]
}

export interface ShownRun {
  readonly run: string
  readonly prompt: string
  readonly model: string
  readonly isMock: boolean
  readonly columns: readonly string[]
  /** The columns that hold labels. */
  readonly labelled: readonly string[]
  readonly records: readonly ShownRecord[]
  /** Whether the run has more records than are shown. */
  readonly cut: boolean
}

/** Records beyond these are for the command: a page is for looking at some. */
const MOST_RECORDS = 20_000

/** A decision that the page asks for. */
export type Decision =
  | { readonly does: 'accept'; readonly records: readonly string[]; readonly answer?: number }
  | { readonly does: 'discard'; readonly records: readonly string[] }
  | { readonly does: 'regenerate'; readonly records: readonly string[]; readonly part?: string }
  | { readonly does: 'edit'; readonly records: readonly string[]; readonly text: string }

/** The formats that a run is exported in. */
export const EXPORTS = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  jsonl: 'application/x-ndjson',
}
export type ExportFormat = keyof typeof EXPORTS

/** Looks at the answers of runs, and carries out what the page decides; each decision is on the disk before it is told. */
export class DeskReview {
  constructor(
    private readonly root: string,
    private readonly runs: DeskRuns,
    private readonly session: Session,
  ) {}

  async open(run: string): Promise<ShownRun> {
    return this.with(run, async (review) => {
      const records: ShownRecord[] = []
      let cut = false
      for await (const record of review.records()) {
        cut = records.length >= MOST_RECORDS
        if (cut) break
        records.push(shown(record))
      }
      const { prompt, asking } = review.file
      const columns = review.columns.map(({ name }) => name)
      const labelled = review.columns.flatMap(({ name, labels }) => (labels ? [name] : []))
      return { run, prompt: prompt.name, model: asking.model, isMock: asking.isMock, columns, labelled, records, cut }
    })
  }

  async decide(run: string, { records, ...action }: Decision): Promise<readonly object[]> {
    return this.with(run, async (review) => {
      const results: ReviewResult[] = []
      await review.apply([{ ...action, records: new Set(records) }], (done) => results.push(done))
      return results.map(({ record, does, problems, reviewed }) => ({
        record,
        does,
        problems: problems.map(problemRecord),
        reviewed: shown(reviewed),
      }))
    })
  }

  /** Adds the accepted answers to an example set. Gives what was done, in words. */
  async addCases(run: string, set: string, allowMock: boolean): Promise<string> {
    const library = await openLibrary(this.root)
    const { model } = setNamed(library, set)
    return this.with(run, async (review) => {
      const records: object[] = []
      const mocks = new Set<number>()
      for await (const { row, values } of review.settled()) {
        if (row.isMock) mocks.add(records.length)
        records.push(acceptedCase(model, library.artefacts.prompts, review.file.prompt.name, values, row.answer))
      }
      let words = ''
      const heard = { write: (text: string) => (words += text) }
      const context = { stdout: heard, stderr: heard, env: {} } as unknown as Parameters<typeof addCases>[0]
      await addCases(context, this.root, library, set, { kind: 'records', records }, { mocks, allowMock })
      return words.trim()
    })
  }

  /** The answers next to their rows: of each record the accepted one, else the last that could be read. */
  async export(run: string, format: ExportFormat): Promise<string | Uint8Array> {
    return this.with(run, async (review) => {
      if (format === 'xlsx') return spreadsheet(cellsOf(review))
      const writing = rowWriting(`.${format}`, review.columns)
      let text = ''
      let isFirst = true
      for await (const { headings, row } of review.settled(true)) {
        if (isFirst) text += writing.head(headings)
        isFirst = false
        text += writing.line(row, headings)
      }
      return text
    })
  }

  private async with<T>(run: string, act: (review: Review) => Promise<T>): Promise<T> {
    const folder = this.runs.folderOf(run)
    const file = await readRun(folder)
    if (!isAskRun(file)) throw new ProblemError([problem('run-without-answers', { run })])
    const library = await openLibrary(this.root)
    const model = this.session.counted(readyModel(library, file.prompt.name, file.asking.model, file.asking.mock))
    const review = await Review.open(folder, { library, model })
    try {
      return await act(review)
    } finally {
      await review.close()
    }
  }
}

async function* cellsOf(review: Review): AsyncGenerator<readonly unknown[]> {
  const { head, cells } = rowCells(review.columns.map(({ name }) => name))
  let isFirst = true
  for await (const { headings, row } of review.settled(true)) {
    if (isFirst) yield head(headings)
    isFirst = false
    yield cells(row, headings).map((cell) => (typeof cell === 'string' ? safeCell(cell, { raw: false }) : cell))
  }
}

function shown({ candidates, problems, ...record }: ReviewedRecord): ShownRecord {
  return {
    ...record,
    problems: problems.map(problemRecord),
    candidates: candidates.map((candidate) => ({ ...candidate, problems: candidate.problems.map(problemRecord) })),
  }
}

/** Whether the body of a request is a decision. */
export function isDecision(body: unknown): body is Decision {
  if (typeof body !== 'object' || body === null) return false
  const { does, records, answer, part, text } = body as Record<string, unknown>
  if (!Array.isArray(records) || records.length === 0 || !records.every((record) => typeof record === 'string')) return false
  if (does === 'accept') return answer === undefined || Number.isInteger(answer)
  if (does === 'regenerate') return part === undefined || typeof part === 'string'
  return does === 'discard' || (does === 'edit' && typeof text === 'string' && defined(records).length === 1)
}
