import { join, resolve } from 'node:path'
import type { Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { AuditLog } from '../audit/audit-log.js'
import type { ReadyModel } from '../models/ready-model.js'
import { lineOptions } from '../render/line-options.js'
import { sha256 } from '../output/bytes.js'
import { answerWriting } from '../replies/answer-writing.js'
import { sendRouter } from '../replies/router.js'
import {
  newRun,
  outputPath,
  readyBatch,
  resumable,
  runsFolder,
  unchangedBatch,
  type ResumeOptions,
  type RunOptions,
} from '../runs/begin.js'
import { checkBudget } from '../runs/budget.js'
import { carryOut, type RunResult } from '../runs/carry-out.js'
import { refuseForeign } from '../runs/publish.js'
import { openSource, type RecordSource } from '../sources/records.js'
import type { AskCounts } from './ask-counts.js'
import type { AskRun, Asking, TokenCorrection } from './ask-run.js'
import { askTask, type AskListener } from './ask-task.js'
import { correctionFor } from './token-correction.js'

/** A run that asks. */
export interface AskOptions extends RunOptions, AskListener {
  readonly model: ReadyModel
  /** How often a reply that its output refuses is asked for again. Default: 2. */
  readonly corrections?: number
  /** Asks again what was answered before; the earlier answers stay. */
  readonly fresh?: boolean
  /** Requests in flight at a time. Default: the model's `concurrency`. */
  readonly concurrency?: number
  /** Asks for the record of this name alone. */
  readonly only?: string
  /** How many answers to ask for, for each record. Default: 1. */
  readonly candidates?: number
}

export interface ResumeAskingOptions extends ResumeOptions, AskListener {
  readonly model: ReadyModel
  readonly concurrency?: number
}

/** What came of a run that asks. */
export type AskResult = RunResult<AskCounts>

/**
 * Asks a model for every record of a batch. The run folder gets the answers next to their records, the rejected records and a report.
 * Cached answers are used again.
 *
 * @param options - The library, its folder, the batch and the model.
 * @returns The counts, and where the run is.
 * @throws ProblemError if the run cannot start. Nothing is sent then.
 * @example
 * const folder = 'demo/marram-house'
 * const library = await openLibrary(folder)
 * const batch = batchModel({ prompt: 'survey/grade', records: { from: '../data/objects.csv', as: 'item' } })
 * const model = readyModel(library, 'survey/grade')
 * const result = await askBatch({ library, folder, name: undefined, batch, model, runs: scratch, only: 'MH-0007' })
 * result.file.counts.written // => 1
 */
export async function askBatch(options: AskOptions): Promise<AskResult> {
  const { library, folder, batch: model, overwrite = false } = options
  AuditLog.of(folder, library)?.check()
  const batch = await readyBatch(library, model, folder, options)
  const runs = runsFolder(options)
  const to = outputPath(options)
  const { output, base } = answerWriting(batch, to)
  if (to !== undefined && base === undefined) await refuseForeign(to, runs, overwrite, true)
  for (const { path } of model.send) await refuseForeign(join(folder, path), runs, overwrite, true)
  // All that can be wrong with them is found before a question costs anything.
  sendRouter(batch)
  const identity = sha256(options.model.identity)
  const correction = model.tokens || model.budget !== undefined ? await correctionFor(runs, identity) : undefined
  const run = await newRun(options, batch, async (records) => {
    const source = await openSource(batch, folder, records, options)
    if (model.budget !== undefined) await checkBudget(source, await lineOptions(batch, false), correction?.factor)
    return source
  })
  const { counts: _, ...begun } = run.file
  const file: AskRun = {
    ...begun,
    output,
    to: to === undefined ? undefined : resolve(to),
    asking: askingOf(options, identity, correction),
  }
  return carry(run.folder, file, { ...run.prepared, source: run.records }, options)
}

function askingOf(
  { model, corrections = 2, fresh = false, only, candidates }: AskOptions,
  identity: string,
  correction: TokenCorrection | undefined,
): Asking {
  return {
    model: model.name,
    isMock: model.isMock,
    identity,
    ...(model.mock && { mock: model.mock }),
    corrections,
    fresh,
    ...(only !== undefined && { only }),
    ...(candidates !== undefined && { candidates }),
    ...(correction && { correction }),
  }
}

/**
 * Resumes a run that asks. Answers that were received are not requested again.
 *
 * @param folder - The run's folder.
 * @param options - The library, and the model of the run.
 * @returns The counts, and where the run is.
 * @throws ProblemError if the run has finished, if another process is running it, or if anything it started with has changed.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const model = readyModel(library, 'survey/grade')
 * const thrown = await resumeAsking('demo/marram-house', { library, model }).catch((error) => error)
 * thrown.problems[0].code // => 'run-unreadable'
 */
export async function resumeAsking(folder: string, options: ResumeAskingOptions): Promise<AskResult> {
  const file = (await resumable(folder)) as AskRun
  const { batch, home, records } = await unchangedBatch(folder, file, options, () => modelChanges(file, options.model))
  const begunWith = file.prompt
  const now: AskRun = { ...file, prompt: { ...begunWith, fingerprint: batch.prompt.fingerprint } }
  return carry(folder, now, await openSource(batch, home, records, options), { ...options, folder: home })
}

function modelChanges({ asking }: AskRun, { identity }: ReadyModel): Problem[] {
  if (sha256(identity) === asking.identity) return []
  return [problem('run-changed', { what: `the model "${asking.model}"`, detail: 'is described in another way' })]
}

function carry(
  folder: string,
  file: AskRun,
  source: RecordSource,
  options: ResumeAskingOptions & { readonly folder: string },
): Promise<AskResult> {
  return carryOut(folder, file, () => askTask(folder, file, source, options), options)
}
