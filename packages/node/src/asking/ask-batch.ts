import { replaceFile } from '../output/files.js'
import { rm } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { batchModel, problem, ProblemError, type Batch, type BatchModel, type Library } from 'dunelight'
import { checkBudget } from '../batches/budget.js'
import { lineOptions } from '../batches/line-options.js'
import { LINES } from '../batches/output-form.js'
import type { TableFile } from '../sources/open-table.js'
import {
  begunWith,
  jsonFile,
  outputPath,
  readyBatch,
  refuseStranger,
  resumable,
  type RunOptions,
  tableOfRun,
  unchangedBatch,
} from '../batches/run-batch.js'
import { markOf, newRunFolder, type RunFile, type TokenCorrection } from '../batches/run-file.js'
import { keepStdin, moveInto } from '../batches/stdin.js'
import { readPools, tableFile } from '../sources/records.js'
import { AskRun, endingOf, type AskListener, type AskResult } from './ask-run.js'
import { correctionFor } from './correction.js'
import { sha256 } from './question.js'
import type { ReadyModel } from './ready-model.js'
import { Sendings } from './sendings.js'

export interface AskOptions
  extends
    AskListener,
    Pick<RunOptions, 'library' | 'folder' | 'name' | 'definition' | 'records' | 'given' | 'said' | 'locale' | 'to' | 'overwrite' | 'runs'> {
  readonly model: ReadyModel
  /** How often a reply that its output refuses is asked for again; twice where nothing is said. */
  readonly again?: number
  /** Asks anew what was answered before; the earlier answers stay. */
  readonly fresh?: boolean
  /** Requests that are under way at a time; else what the model's description says. */
  readonly atOnce?: number
  /** Asks for the record of this name alone. */
  readonly only?: string
  /** So many answers for each record; one where nothing is said. */
  readonly answers?: number
}

/**
 * Asks a model for every record of a batch: a run's folder gets the answers beside their records, what was set aside and why, and a report.
 * What was answered before is not asked again.
 *
 * @throws ProblemError where it cannot be begun: then nothing has been asked.
 */
export async function askBatch(options: AskOptions): Promise<AskResult> {
  const { library, folder, model, overwrite = false, again = 2, fresh = false, only, answers } = options
  const definition = batchModel(options.definition)
  const batch = await readyBatch(library, definition, folder, options)
  const wanted = tableOfRun(options, definition)
  const runs = resolve(options.runs ?? join(folder, 'runs'))
  const to = outputPath(options, definition)
  const ending = endingOf(to)
  if (to !== undefined) await refuseStranger(to, runs, overwrite)
  for (const { path } of definition.send) await refuseStranger(join(folder, path), runs, overwrite)
  // All that can be said of the sendings is said before a question costs anything.
  new Sendings(batch, definition)
  const records = wanted.from === '-' ? await keepStdin(wanted, runs) : wanted
  try {
    const identity = sha256(model.identity)
    const correction = definition.tokens || definition.budget !== undefined ? await correctionFor(runs, identity) : undefined
    if (definition.budget !== undefined) await withinBudget(batch, definition, folder, records, correction)
    const made = await newRunFolder(runs, options.name ?? definition.prompt!.name)
    const file: RunFile = {
      ...begunWith(made, batch, options),
      envelope: undefined,
      workers: 1,
      bare: false,
      records: await markOf(records === wanted ? records : await moveInto(made.folder, records)),
      joined: await Promise.all(definition.join.map((one) => markOf(tableFile(folder, one)))),
      output: `output${ending}`,
      to: to === undefined ? undefined : resolve(to),
      asking: {
        model: model.name,
        madeUp: model.madeUp,
        identity,
        ...(model.standIn && { standIn: model.standIn }),
        again,
        fresh,
        ...(only !== undefined && { only }),
        ...(answers !== undefined && { answers }),
        ...(correction && { correction }),
      },
    }
    await replaceFile(join(made.folder, 'run.json'), jsonFile(file))
    return await new AskRun(made.folder, file, batch, definition, options).run()
  } finally {
    // What came by standard input is the run's by now, or nobody's.
    if (records !== wanted) await rm(records.from, { force: true })
  }
}

export interface ResumeAskingOptions extends AskListener {
  readonly library: Library
  readonly model: ReadyModel
  readonly given?: Readonly<Record<string, unknown>>
  readonly overwrite?: boolean
  readonly atOnce?: number
}

/**
 * Carries on a run that asks: what it was answered is not asked again, and what it writes is what an unbroken run would have written.
 *
 * @throws ProblemError where it has ended, is under way, or where what it was begun with has changed since.
 */
export async function resumeAsking(folder: string, options: ResumeAskingOptions): Promise<AskResult> {
  const before = await resumable(folder)
  const { batch, model, home } = await unchangedBatch(folder, before, options)
  if (sha256(options.model.identity) !== before.asking!.identity)
    throw new ProblemError([problem('run-changed', { what: `the model "${before.asking!.model}"`, says: 'is described in another way' })])
  const file: RunFile = { ...before, state: 'running', process: process.pid }
  await replaceFile(join(folder, 'run.json'), jsonFile(file))
  return new AskRun(folder, file, batch, model, { ...options, folder: home }).run()
}

/** @throws ProblemError where the prompts have more tokens than the budget. */
async function withinBudget(
  batch: Batch,
  model: BatchModel,
  folder: string,
  source: TableFile,
  correction: TokenCorrection | undefined,
): Promise<void> {
  const rendering = { batch, source, pools: await readPools(batch, folder), form: LINES, line: await lineOptions(batch, model, false) }
  await checkBudget(rendering, model.budget!, model.take, correction?.factor)
}
