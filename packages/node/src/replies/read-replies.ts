import type { Problem } from 'dunelight'
import { plainBatch } from 'dunelight/host'
import { textBytes } from '../output/bytes.js'
import { newCounts } from '../runs/counts.js'
import { work, type RunListener } from '../runs/engine.js'
import type { Outcome } from '../runs/outcome.js'
import { Selection } from '../runs/selection.js'
import { doSteps, type RecordStep } from '../runs/step.js'
import { RunStreams, type Sink } from '../runs/streams.js'
import { readRecords } from '../sources/records.js'
import { unsupportedText, rowWriting, type FinishedRow, type RowEnding } from './finished-row.js'
import { ReplyReader, type AnsweredRecord, type AnswersOptions } from './read-answers.js'
import type { Router } from './router.js'

/** The records and replies, and where the answers go. */
export interface ReadRepliesOptions extends Omit<AnswersOptions, 'onProgress'>, RunListener {
  /** Gets a row for each record whose reply could be read. */
  readonly to: Sink
  readonly ending: RowEnding
  /** Where rows go in place of `to`: the streams of a router's files. */
  readonly router?: { readonly routes: Router; readonly sinks: ReadonlyMap<string, Sink> }
  /** Gets a line of JSON for each record that is rejected. */
  readonly rejected?: Sink
  /** Passes over records without a reply, in place of rejecting them. */
  readonly answered?: boolean
  /** Writes cells that a spreadsheet would run as formulas unchanged. */
  readonly rawCells?: boolean
  /** Lists of the answer that become rows, and records that become columns: `answer.rows`. */
  readonly flatten?: readonly string[]
  /** Hears of each record, with its answer by columns if it has one, before it is written. */
  readonly onAnswer?: (record: AnsweredRecord, answer: Readonly<Record<string, unknown>> | undefined) => void
  /** Handles an answer further: writes a document. */
  readonly finish?: (record: AnsweredRecord) => Promise<void>
}

export interface ReadRepliesResult {
  readonly written: number
  readonly rejected: number
  readonly interrupted: boolean
  /** Replies that no record wanted, or that could not be read. */
  readonly strays: readonly Problem[]
}

/**
 * Reads a table of replies and writes the answers next to the records that they answer.
 *
 * @param options - The prompt, the records, the replies, and where the rows go.
 * @returns The counts, and a problem for each reply without a record.
 * @throws ProblemError if a table cannot be read.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const data = 'demo/marram-house/data'
 * const to = createWriteStream(join(scratch, 'grades.jsonl'))
 * const result = await readReplies({ prompt: library.prompt('survey/grade'), records: `${data}/objects.csv`, replies: `${data}/replies/grades.jsonl`, to, ending: 'jsonl' })
 * result.written > 0 // => true
 */
export async function readReplies(options: ReadRepliesOptions): Promise<ReadRepliesResult> {
  const { prompt, values, locale, onHeading, records: source, to, ending, router, rejected, signal, onRejected, onProgress } = options
  const batch = plainBatch(prompt, { ...(values && { values }), ...(locale !== undefined && { locale }) })
  const writing = rowWriting(ending, prompt.answerColumns, { raw: options.rawCells ?? false, flatten: options.flatten })
  const reader = new ReplyReader(options)
  const step: RecordStep = async (record, headings): Promise<Outcome | undefined> => {
    const answered = await reader.read(record)
    if (options.answered && answered.text === undefined) return undefined
    const answer = answerOf(answered)
    const onTurn = () => options.onAnswer?.(answered, answer)
    if (!answer) return { problems: answered.problems, reply: answered.text, partial: answered.reply?.partial, onTurn }
    await options.finish?.(answered)
    const { repairs = [], unsupported = [], similar = [] } = answered.reply ?? {}
    const row: FinishedRow = {
      cells: answered.cells,
      answer,
      repairs: repairs.map((p) => p.message),
      unsupported: unsupported.map(unsupportedText),
      similar: similar.map((p) => p.message),
    }
    if (router) return { text: '', beside: router.routes.lines(record, row, headings), onTurn }
    return { text: textBytes(writing.line(row, headings)), onTurn }
  }
  const heads = router?.routes.heads() ?? {}
  const others = [...(router?.sinks ?? [])].map(([file, sink]) => [file, { sink, head: heads[file] ?? (() => '') }] as const)
  const output = router ? undefined : { sink: to, head: (headings: readonly string[]) => writing.head(headings) }
  const streams = new RunStreams({ output, rejected, others: new Map(others) })
  const counts = newCounts()
  const blocks = (selection: Selection) => doSteps(readRecords(batch, source, onHeading ? { onHeading } : {}), selection, step)
  const listener: RunListener = { ...(signal && { signal }), ...(onRejected && { onRejected }), ...(onProgress && { onProgress }) }
  const whole = await work({ ...listener, step: { blocks, counts }, selection: new Selection(), to: streams })
  await streams.end()
  return { written: counts.written, rejected: counts.rejected, interrupted: !whole, strays: whole ? await reader.left() : [] }
}

/** The answer by its columns; undefined if the record is rejected. */
function answerOf({ reply, form, problems, text }: AnsweredRecord): Readonly<Record<string, unknown>> | undefined {
  if (problems.length > 0 || reply?.value === undefined) return undefined
  return form ? form.columns(reply.value) : { reply: text }
}
