import { problemRecord, ProblemError, type Library, type ProblemRecord } from 'dunelight'
import { acceptedCase, defined, problem, type OriginText } from 'dunelight/host'
import { openLibrary, readRun, readyModel, Review } from '@dunelight/node'
import {
  finishedDocument,
  isAskRun,
  type DocumentEnding,
  type RunState,
  rowCells,
  rowWriting,
  safeCell,
  spreadsheet,
  type ReviewedRecord,
  type ReviewResult,
  wordingOfRun,
} from '@dunelight/node/host'
import { addCases, setNamed } from '../cases/add-cases.js'
import type { DeskRuns } from './desk-runs.js'
import { environmentApprovers } from '../flags/open-library.js'
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
  /** Whether its records are documents of several parts: then `records` are the parts. */
  readonly isAssembly: boolean
  /** `waiting`: parts are asked once the run is resumed. */
  readonly state: RunState
  /** Whether the run has more records than are shown. */
  readonly cut: boolean
}

/** A record of an assembly: its parts side by side, and the document as far as it is there. */
export interface ShownAssembly {
  readonly record: string
  readonly parts: readonly ShownRecord[]
  /** The spans of the document, in order, with what wrote each. */
  readonly document: readonly ShownSpan[] | undefined
  /** The parts that were accepted for other inputs than those of now. */
  readonly outOfDate: readonly string[]
}

export interface ShownSpan {
  readonly text: string
  readonly kind: 'fixed' | 'value' | 'answer'
  /** Where it comes from: a value, or the answer of a part. */
  readonly path: string | undefined
}

/** The formats that a document is exported in. */
export const DOCUMENT_TYPES: Readonly<Record<DocumentEnding, string>> = {
  md: 'text/markdown; charset=utf-8',
  html: 'text/html; charset=utf-8',
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
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
      const { isAssembly, file } = review
      const { model, isMock } = asking
      return { run, prompt: prompt.name, model, isMock, columns, labelled, records, isAssembly, state: file.state, cut }
    })
  }

  /** One record of an assembly. */
  async assembled(run: string, record: string): Promise<ShownAssembly> {
    return this.with(run, async (review, library) => {
      const { parts, document, outOfDate } = await review.assembled(record)
      const assembly = library.assembly(review.file.prompt.name)
      const spans = document && spansOf(document, (path) => assembly.isAnswer(path))
      return { record, parts: parts.map(shown), document: spans, outOfDate }
    })
  }

  /** The finished document of a record as a file. */
  async document(run: string, record: string, as: DocumentEnding, allowOutOfDate: boolean): Promise<string | Uint8Array> {
    return this.with(run, async (review) => {
      const { document, outOfDate, isMock } = await review.assembled(record)
      if (outOfDate.length > 0 && !allowOutOfDate) throw new ProblemError([problem('part-out-of-date', { record, parts: outOfDate })])
      if (!document) throw new ProblemError([problem('part-waiting', { parts: [record] })])
      return finishedDocument(document.text, as, { id: record, isMock })
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

  private async with<T>(run: string, act: (review: Review, library: Library) => Promise<T>): Promise<T> {
    const folder = this.runs.folderOf(run)
    const file = await readRun(folder)
    if (!isAskRun(file)) throw new ProblemError([problem('run-without-answers', { run })])
    const library = await openLibrary(this.root, wordingOfRun(file, environmentApprovers(process.env)))
    const model = this.session.counted(readyModel(library, file.prompt.name, file.asking.model, file.asking.mock))
    const review = await Review.open(folder, { library, model })
    try {
      return await act(review, library)
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

/** Neighbouring spans of one origin are one. */
function spansOf({ text, origins }: OriginText, isAnswer: (path: string) => boolean): readonly ShownSpan[] {
  if (origins.length === 0) return [{ text, kind: 'answer', path: undefined }]
  const spans: ShownSpan[] = []
  for (const { start, end, kind, path } of origins) {
    const own = kind === 'value' && path !== undefined ? (isAnswer(path) ? 'answer' : 'value') : 'fixed'
    const span = { text: text.slice(start, end), kind: own, path: own === 'fixed' ? undefined : path } as const
    const last = spans.at(-1)
    if (last && last.kind === span.kind && last.path === span.path) spans[spans.length - 1] = { ...last, text: last.text + span.text }
    else spans.push(span)
  }
  return spans
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
