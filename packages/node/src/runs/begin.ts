import { createHash } from 'node:crypto'
import { rm } from 'node:fs/promises'
import { basename, join, relative, resolve } from 'node:path'
import { batchModel, ProblemError, type BatchModel, type Library, type Problem } from 'dunelight'
import { batchOf, problem, type Batch, type BatchOptions } from 'dunelight/host'
import { meansEdition } from 'dunelight/editions'
import { wordingOf, type OpenOptions } from '../library/open-library.js'
import { filesThatItSets } from '../library/set-files.js'
import type { ApproverOptions } from '../snapshots/trust.js'
import type { TableFile } from '../sources/open-table.js'
import { tableFile } from '../sources/records.js'
import type { RunListener } from './engine.js'
import { newRunFolder, readRun, type RunFile } from './run-file.js'
import { markOf } from './source-mark.js'
import { keepStdin, moveInto } from './stdin.js'

/** Hears what is found while a table is read. */
export interface ReadListener {
  readonly notice?: (problem: Problem) => void
  readonly onHeading?: (problems: readonly Problem[]) => void
}

/** What every run of a batch needs, whatever it does with the records. */
export interface RunOptions extends RunListener, ReadListener {
  readonly library: Library
  /** The library's folder. */
  readonly folder: string
  /** The name of the batch; undefined for one that options describe. */
  readonly name: string | undefined
  readonly batch: BatchModel
  /** A table in place of the batch's. */
  readonly records?: TableFile
  /** Values that are the same for all records, over those that the batch sets. */
  readonly values?: Readonly<Record<string, unknown>>
  /** The options that set those values, saved for a resumed run. */
  readonly set?: readonly string[]
  readonly locale?: string
  /** Where the output is published, in place of the batch's place. */
  readonly to?: string
  readonly overwrite?: boolean
  /** Where the run's folder is made. Default: `runs` in the library's folder. */
  readonly runs?: string
}

/** What a run that is continued needs. */
export interface ResumeOptions extends RunListener, ReadListener {
  readonly library: Library
  readonly values?: Readonly<Record<string, unknown>>
  readonly overwrite?: boolean
}

/** The folder that the folders of runs are made in. */
export function runsFolder({ runs, folder }: Pick<RunOptions, 'runs' | 'folder'>): string {
  return resolve(runs ?? join(folder, 'runs'))
}

/** Where the output is published: the option's path, else the batch's, below the library's folder. */
export function outputPath({ to, folder, batch }: Pick<RunOptions, 'to' | 'folder' | 'batch'>): string | undefined {
  return to ?? (batch.to && join(folder, batch.to.path))
}

/**
 * A batch with the files that it sets, ready to be run.
 *
 * @throws ProblemError if it cannot be.
 */
export async function readyBatch(library: Library, model: BatchModel, folder: string, options: BatchOptions): Promise<Batch> {
  const files = await filesThatItSets(library.inputOf(model.prompt?.name ?? ''), model, folder, library.limits.attachmentBytes)
  return batchOf(library, model, { ...options, values: { ...files, ...options.values } })
}

/**
 * Makes the folder of a new run. What comes by standard input is kept in it: a run reads its records more than once, and may be continued
 * tomorrow.
 *
 * @param prepare What has to succeed before the folder is made.
 * @throws ProblemError if there is no table.
 */
export async function newRun<T>(
  options: RunOptions,
  batch: Batch,
  prepare: (records: TableFile) => Promise<T>,
): Promise<{ readonly folder: string; readonly file: Omit<RunFile, 'output' | 'to'>; readonly records: TableFile; readonly prepared: T }> {
  const { folder, batch: model, name, set: stated = [], locale } = options
  const wanted = options.records ?? (model.records && tableFile(folder, model.records))
  if (!wanted) throw new ProblemError([problem('key-missing', { key: 'records', of: 'a batch' })])
  const runs = runsFolder(options)
  const records = wanted.from === '-' ? await keepStdin(wanted, runs) : wanted
  try {
    const prepared = await prepare(records)
    const joined = await Promise.all(model.join.map((join) => markOf(tableFile(folder, join))))
    const made = await newRunFolder(runs, name ?? batch.prompt.name)
    const kept = records === wanted ? records : await moveInto(made.folder, records)
    const { prompt, values } = batch
    const file: Omit<RunFile, 'output' | 'to'> = {
      run: made.run,
      state: 'running',
      started: new Date().toISOString(),
      library: relative(made.folder, resolve(folder)),
      batch: name,
      definition: model.content as RunFile['definition'],
      prompt: { name: prompt.name, fingerprint: prompt.fingerprint, ...wordingMark(options.library) },
      values: fingerprintOf(values),
      set: stated,
      locale,
      records: await markOf(kept),
      joined,
    }
    return { folder: made.folder, file, records: kept, prepared }
  } finally {
    // What came by standard input is the run's by now, or not needed.
    if (records !== wanted) await rm(records.from, { force: true })
  }
}

/** Where the wording of a run comes from, for the one that resumes it. */
function wordingMark(library: Library): Pick<RunFile['prompt'], 'at' | 'edition'> {
  const wording = wordingOf(library)
  if (!wording) return {}
  return { at: wording.pinned, ...(wording.edition && { edition: wording.edition.digest }) }
}

/** The library's folder of a run. */
export function libraryOf(folder: string, file: RunFile): string {
  return resolve(folder, file.library)
}

/** How the library of a run is opened: in the wording that the run began with, which may have been revoked since. */
export function wordingOfRun({ prompt }: Pick<RunFile, 'prompt'>, approvers: ApproverOptions): Pick<OpenOptions, 'at' | 'approvers'> {
  const { at } = prompt
  if (at === undefined) return {}
  return meansEdition(at) ? { at, approvers } : { at }
}

/**
 * The batch of a run, as it was when the run began.
 *
 * @param changes Other changes since the run, found by the caller.
 * @throws ProblemError if anything that it began with has changed.
 */
export async function unchangedBatch(
  folder: string,
  file: RunFile,
  { library, values = {} }: Pick<ResumeOptions, 'library' | 'values'>,
  changes: (batch: Batch, model: BatchModel) => readonly Problem[] = () => [],
): Promise<{ readonly batch: Batch; readonly model: BatchModel; readonly home: string; readonly records: TableFile }> {
  const home = libraryOf(folder, file)
  const model = batchModel(file.definition, 'run.json')
  const batch = await readyBatch(library, model, home, { values, ...(file.locale !== undefined && { locale: file.locale }) })
  // A run that begins again asks what has changed, and nothing else.
  const mayDiffer = batch.assembly !== undefined && (file.state === 'waiting' || file.state === 'done')
  const own = ownChanges(file, batch, mayDiffer)
  const problems = [...own, ...changes(batch, model), ...(await tableChanges(file))]
  if (problems.length > 0) throw new ProblemError(problems)
  const { bytes: _, sha256: __, ...records } = file.records
  return { batch, model, home, records }
}

/** @throws ProblemError if a run has ended. */
export async function resumable(folder: string): Promise<RunFile> {
  const file = await readRun(folder)
  if (file.state === 'done') throw new ProblemError([problem('run-finished', { run: file.run })])
  return file
}

function ownChanges(before: RunFile, { prompt, values }: Batch, mayDiffer: boolean): Problem[] {
  const { name, fingerprint } = before.prompt
  const problems: Problem[] = []
  if (!mayDiffer && prompt.fingerprint !== fingerprint)
    problems.push(problem('run-changed', { what: `the prompt "${name}"`, detail: 'has changed, or something that it uses' }))
  if (fingerprintOf(values) !== before.values)
    problems.push(problem('run-changed', { what: 'the values that are set', detail: 'have changed' }))
  return problems
}

async function tableChanges({ records, joined }: RunFile): Promise<Problem[]> {
  const problems: Problem[] = []
  for (const mark of [records, ...joined]) {
    const what = `the table ${basename(mark.from)}`
    const now = await markOf(mark).catch(() => undefined)
    if (!now) problems.push(problem('run-changed', { what, detail: 'no longer exists' }))
    else if (now.sha256 !== mark.sha256) {
      const size = now.bytes === mark.bytes ? '' : `: it had ${mark.bytes} bytes, and has ${now.bytes}`
      problems.push(problem('run-changed', { what, detail: `has changed${size}` }))
    }
  }
  return problems
}

function fingerprintOf(values: Readonly<Record<string, unknown>>): string {
  return createHash('sha256').update(JSON.stringify(values)).digest('hex')
}
