import { compressFile } from '../output/files.js'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import type { Batch, BatchRecord } from 'dunelight/host'
import type { ReadyModel } from '../models/ready-model.js'
import { answerWriting } from '../replies/answer-writing.js'
import { sendRouter } from '../replies/router.js'
import type { Task } from '../runs/carry-out.js'
import { publish, publishOutput } from '../runs/publish.js'
import type { RunFile } from '../runs/run-file.js'
import { doSteps, type Step } from '../runs/step.js'
import { recordsOf, type RecordSource } from '../sources/records.js'
import { AnswerSource } from './answer-source.js'
import type { AskRun } from './ask-run.js'
import { newAskCounts, type AskCounts } from './ask-counts.js'
import { askReport } from './ask-report.js'
import { AssemblyAsking } from './assembly-asking.js'
import { PromptAsking } from './prompt-asking.js'
import type { Answered } from './question.js'
import { NOTES_FILE, TURNS_FILE, type RecordAsking } from './record-asking.js'
import { REVIEW_FILE, ReviewLog } from './review-log.js'

export interface AskListener {
  /** Called with every answer, in the order of the records; `candidate` is its number among several to the same question, from 1. */
  readonly onAnswer?: (record: BatchRecord, answered: Answered, candidate: number) => void
  /** Hears why the model is asked once more. */
  readonly onRetry?: (why: string) => void
}

export interface AskSetting extends AskListener {
  readonly model: ReadyModel
  readonly concurrency?: number
  readonly overwrite?: boolean
  /** The library's folder. */
  readonly folder: string
  readonly signal?: AbortSignal
}

/** The answers of a run, in its folder. */
export const RUN_LOG = 'answers.jsonl'
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
  const writing = answerWriting(batch, file.to)
  const heads = { ...(writing.base === undefined && { [file.output]: writing.head }), [NOTES_FILE]: () => '', [TURNS_FILE]: () => '' }
  const ahead = concurrency * AHEAD
  const decisions = batch.assembly && (await ReviewLog.open(join(folder, REVIEW_FILE)))
  return {
    step: (counts = newAskCounts()): Step<AskCounts> => {
      const setting = { batch, file, answers, options, counts, writing, router }
      const asking = decisions ? new AssemblyAsking(setting, decisions) : new PromptAsking(setting)
      return { counts, blocks: (selection) => cancelQueued(asking, doSteps(recordsOf(source), selection, asking.step, { ahead }), answers) }
    },
    selection: { take: batch.model.take, only: file.asking.only, base: writing.base },
    files: { output: file.output, base: writing.base, heads: { ...heads, ...router.heads() } },
    audit: answers.audit,
    isWaiting: ({ waiting }) => waiting > 0,
    report: (ended, library, counts) => askReport(ended as AskRun, library, counts, model.price),
    publish: async (_, { written }) => {
      if (batch.model.keepTurns) await compressFile(join(folder, TURNS_FILE))
      // A run without answers leaves what is there.
      return written === 0 ? {} : publishAnswers(folder, file, options, batch, router.files)
    },
    close: async () => {
      signal?.removeEventListener('abort', leave)
      await answers.close()
    },
  }
}

/** Waits at the end for what is under way: it has been paid for. The fault that ended the run counts, not the requests that it cancelled. */
async function* cancelQueued<T>(asking: RecordAsking, blocks: AsyncGenerator<T>, answers: AnswerSource): AsyncGenerator<T> {
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
  { folder: home, overwrite = false }: AskSetting,
  batch: Batch,
  sent: readonly string[],
): Promise<Pick<RunFile, 'published' | 'sent'>> {
  const { model } = batch
  const published = await publishOutput({ folder, file, batch, overwrite })
  const places = []
  for (const [i, name] of sent.entries()) {
    const to = join(home, model.send[i]?.path ?? name)
    await mkdir(join(to, '..'), { recursive: true })
    places.push(await publish(join(folder, name), to))
  }
  return { ...(published && { published }), ...(places.length > 0 && { sent: places }) }
}
