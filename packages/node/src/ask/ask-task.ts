import { compressFile } from '../output/files.js'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import type { Batch, BatchRecord } from 'dunelight/host'
import { ModelUnreachable } from '../models/model-queue.js'
import type { ReadyModel } from '../models/ready-model.js'
import { unsupportedText, readEnding, rowWriting, type FinishedRow } from '../replies/finished-row.js'
import { sendRouter } from '../replies/router.js'
import type { Task } from '../runs/carry-out.js'
import { publish } from '../runs/publish.js'
import type { RunFile } from '../runs/run-file.js'
import type { Beside, Outcome } from '../runs/outcome.js'
import { doSteps, unprepared, type RecordStep, type Step } from '../runs/step.js'
import { recordsOf, type RecordSource } from '../sources/records.js'
import { textBytes } from '../output/bytes.js'
import { AnswerSource } from './answer-source.js'
import type { AskRun } from './ask-run.js'
import { countAnswered, countQuestions, newAskCounts, type AskCounts } from './ask-counts.js'
import { askReport } from './ask-report.js'
import { Questions, ScreenStop, type Answered } from './question.js'

export interface AskListener {
  /** Called with every answer, in the order of the records; `candidate` is its number among several to the same question, from 1. */
  readonly onAnswer?: (record: BatchRecord, answered: Answered, candidate: number) => void
  /** Hears why the model is asked once more. */
  readonly onRetry?: (why: string) => void
}

export interface AskSetting extends AskListener {
  readonly model: ReadyModel
  readonly concurrency?: number
  /** The library's folder. */
  readonly folder: string
  readonly signal?: AbortSignal
}

/** The answers of a run, in its folder. */
export const RUN_LOG = 'answers.jsonl'
/** What screens found and let pass. */
const NOTES_FILE = 'notes.jsonl'
/** What was sent, while the run goes on; compressed at its end. */
const TURNS_FILE = 'turns.jsonl'

/** Milliseconds for which a run that ends early waits for what is under way. */
const SHUTDOWN_TIMEOUT_MS = 20_000

/** Records read ahead for each request in flight, so that a slow answer delays no other. */
const AHEAD = 4

/** The task of a run that asks. */
export async function askTask(folder: string, file: AskRun, source: RecordSource, options: AskSetting): Promise<Task<AskCounts>> {
  const { batch, notice } = source
  const { model, onRetry, signal } = options
  const concurrency = options.concurrency ?? model.concurrency
  const answers = await AnswerSource.open({
    batch,
    model,
    folder: options.folder,
    log: join(folder, RUN_LOG),
    fresh: file.asking.fresh,
    concurrency,
    ...(notice && { notice }),
    ...(onRetry && { onRetry }),
  })
  const leave = () => answers.cancelQueued()
  if (signal?.aborted) leave()
  signal?.addEventListener('abort', leave)
  const router = sendRouter(batch)
  const writing = rowWriting(readEnding(file.output), batch.prompt.answerColumns, {
    raw: batch.model.rawCells,
    flatten: batch.model.flatten,
  })
  const head = (headings: readonly string[]) => writing.head(headings)
  const ahead = concurrency * AHEAD
  return {
    step: (counts = newAskCounts()): Step<AskCounts> => {
      const asking = new Asking(batch, file, answers, options, counts, (row, headings) => writing.line(row, headings), router)
      return { counts, blocks: (selection) => cancelQueued(asking, doSteps(recordsOf(source), selection, asking.step, { ahead }), answers) }
    },
    selection: { take: batch.model.take, only: file.asking.only },
    files: { output: file.output, heads: { [file.output]: head, [NOTES_FILE]: () => '', [TURNS_FILE]: () => '', ...router.heads() } },
    report: (ended, library, counts) => askReport(ended as AskRun, library, counts, model.price),
    publish: async (_, { written }) => {
      if (batch.model.keepTurns) await compressFile(join(folder, TURNS_FILE))
      // A run without answers leaves what is there.
      return written === 0 ? {} : publishAnswers(folder, file, options.folder, batch, router.files)
    },
    close: async () => {
      signal?.removeEventListener('abort', leave)
      await answers.close()
    },
  }
}

/** Waits at the end for what is under way: it has been paid for. The fault that ended the run counts, not the requests that it cancelled. */
async function* cancelQueued<T>(asking: Asking, blocks: AsyncGenerator<T>, answers: AnswerSource): AsyncGenerator<T> {
  try {
    yield* blocks
  } catch (fault) {
    throw asking.fault ?? fault
  } finally {
    answers.cancelQueued()
    await Promise.race([answers.settled(), pause(SHUTDOWN_TIMEOUT_MS, undefined, { ref: false })])
  }
}

async function publishAnswers(
  folder: string,
  file: RunFile,
  home: string,
  { model }: Batch,
  sent: readonly string[],
): Promise<Pick<RunFile, 'published' | 'sent'>> {
  const published = file.to === undefined ? undefined : await publish(join(folder, file.output), file.to)
  const places = []
  for (const [i, name] of sent.entries()) {
    const to = join(home, model.send[i]?.path ?? name)
    await mkdir(join(to, '..'), { recursive: true })
    places.push(await publish(join(folder, name), to))
  }
  return { ...(published && { published }), ...(places.length > 0 && { sent: places }) }
}

/** Asks for one record after the other. */
class Asking {
  /** What ends the run, as soon as it is known. */
  fault: Error | undefined
  private readonly questions: Questions
  private readonly labelColumns: readonly string[]
  private readonly keepsTurns: boolean

  constructor(
    batch: Batch,
    private readonly file: AskRun,
    private readonly answers: AnswerSource,
    private readonly options: AskSetting,
    private readonly counts: AskCounts,
    private readonly line: (row: FinishedRow, headings: readonly string[]) => string,
    private readonly router: ReturnType<typeof sendRouter>,
  ) {
    this.questions = new Questions(
      batch,
      options.model,
      file.asking.corrections,
      (...question) => answers.answer(...question),
      answers.counter,
    )
    this.keepsTurns = batch.model.keepTurns
    this.labelColumns = batch.prompt.answerColumns.flatMap(({ name, labels }) => (labels ? [name] : []))
  }

  readonly step: RecordStep = (record, headings) => {
    const { candidates = 1 } = this.file.asking
    return Array.from({ length: candidates }, (_, i) => this.ask(record, headings, i + 1))
  }

  private async ask(record: BatchRecord, headings: readonly string[], candidate: number): Promise<Outcome> {
    const { prepared } = record
    if (!prepared) return unprepared(record)
    try {
      return this.outcome(record, headings, await this.questions.ask(record, prepared, headings, { candidate }), candidate)
    } catch (fault) {
      // Nothing more is asked, not even for the records before it that wait for their turn.
      if (fault instanceof ScreenStop || fault instanceof ModelUnreachable) {
        this.fault ??= fault
        this.answers.cancelQueued()
      }
      throw fault
    }
  }

  private outcome(record: BatchRecord, headings: readonly string[], answered: Answered, candidate: number): Outcome {
    const { problems, form, reply, text, answers } = answered
    const { id, row, cells } = record
    const { asking } = this.file
    const notes = answered.notes.map(({ screen, message, score }): Beside => [
      NOTES_FILE,
      `${JSON.stringify({ row, record: id, screen, found: message, score })}\n`,
    ])
    if (this.keepsTurns && answered.turns)
      notes.push([
        TURNS_FILE,
        `${JSON.stringify({ row, record: id, ...(asking.candidates !== undefined && { candidate }), turns: answered.turns })}\n`,
      ])
    const heard = () => {
      countQuestions(this.counts, answered)
      this.options.onAnswer?.(record, answered, candidate)
    }
    if (problems.length > 0 || (form && !reply)) return { problems, reply: text, partial: reply?.partial, beside: notes, onTurn: heard }
    const answer = form && reply ? form.columns(reply.value) : { reply: text }
    const finished: FinishedRow = {
      cells,
      answer,
      repairs: (reply?.repairs ?? []).map((p) => p.message),
      unsupported: (reply?.unsupported ?? []).map(unsupportedText),
      similar: (reply?.similar ?? []).map((p) => p.message),
      isMock: answers.some((answer) => answer.answer.isMock),
      about: { record: id, number: row, model: asking.model, ...(asking.candidates !== undefined && { candidate }) },
    }
    return {
      text: textBytes(this.line(finished, headings)),
      beside: [...notes, ...this.router.lines(record, finished, headings)],
      onTurn: () => {
        heard()
        countAnswered(this.counts, finished, this.labelColumns)
      },
    }
  }
}
