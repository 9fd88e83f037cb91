import { replaceFile, WriteFault } from '../output/files.js'
import { createHash } from 'node:crypto'
import { mkdir, readFile, rm, stat } from 'node:fs/promises'
import { basename, extname, join, relative, resolve } from 'node:path'
import {
  batchModel,
  batchOf,
  problem,
  ProblemError,
  type Batch,
  type BatchModel,
  type BatchOptions,
  type Library,
  type Problem,
} from 'dunelight'
import type { TableFile } from '../sources/open-table.js'
import { readPools, tableFile } from '../sources/records.js'
import type { Aside } from './block.js'
import { canBeCut, headingsOf, onThisThread, type Renderer, type Rendering } from './blocks.js'
import { checkBudget } from './budget.js'
import { convert, publish, publishAll } from './finish.js'
import { filesThatItSets } from './own-files.js'
import { CHECKPOINT_FILE, Ledger, SEEN_FILE } from './ledger.js'
import { lineOptions } from './line-options.js'
import { outputForm } from './output-form.js'
import { reportOf } from './report.js'
import { toHtml, toMarkdown } from './report-layout.js'
import { commonFolder } from './safe-path.js'
import { keepStdin, moveInto } from './stdin.js'
import { isAlive, listRuns, markOf, newRunFolder, readRun, type Checkpoint, type RunFile, type RunState } from './run-file.js'
import { Threads } from './workers.js'
import type { TallyState } from './tally.js'

/** What a run tells while it goes on. */
export interface RunListener {
  readonly notice?: (found: Problem) => void
  readonly onHeading?: (problems: readonly Problem[]) => void
  readonly onAside?: (aside: Aside) => void
  readonly onProgress?: (progress: RunProgress) => void
  /** Ends the run between two blocks, to be carried on later. */
  readonly signal?: AbortSignal
  /** Gets all that is written, too: standard output. */
  readonly also?: (bytes: Uint8Array) => Promise<void>
}

export interface RunProgress {
  /** How much of the table has been read, of how much; 0 where that is not known. */
  readonly bytesRead: number
  readonly bytes: number
  readonly tally: TallyState
  readonly seconds: number
}

export interface RunOptions extends RunListener {
  readonly library: Library
  /** The library's folder. */
  readonly folder: string
  /** The batch's name; undefined for one that options describe. */
  readonly name: string | undefined
  /** What the batch's file says, with what was said over it: `{ prompt, records: { from }, keep, … }`. */
  readonly definition: Readonly<Record<string, unknown>>
  /** A table in place of the batch's. */
  readonly records?: TableFile
  /** Values that are the same for all records, over those that the batch sets. */
  readonly given?: Readonly<Record<string, unknown>>
  /** What those values were called by: kept for whoever carries the run on. */
  readonly said?: readonly string[]
  readonly locale?: string
  /** Where the output is handed on to, in place of the batch's; `-` hands it to `also` alone. */
  readonly to?: string
  readonly overwrite?: boolean
  /** Lines of the record and its turns alone: no fingerprints, and so no look for records that give the same prompt. */
  readonly bare?: boolean
  /** Threads that render; 1 where nothing is said. */
  readonly workers?: number
  /** Where the run's folder is made; `runs` in the library's folder where nothing is said. */
  readonly runs?: string
}

export interface RunResult {
  readonly folder: string
  readonly file: RunFile
  readonly tally: TallyState
  readonly state: RunState
}

/**
 * Runs a batch: renders its prompt for every record and writes a run's folder with the output, what was set aside, and a report.
 *
 * @throws ProblemError where the batch cannot be run, or its prompts are over its budget: then nothing has been written.
 */
export async function runBatch(options: RunOptions): Promise<RunResult> {
  const { library, folder, overwrite = false, workers = 1, bare = false } = options
  const model = batchModel(options.definition)
  const batch = await readyBatch(library, model, folder, options)
  const wanted = tableOfRun(options, model)
  const runs = resolve(options.runs ?? join(folder, 'runs'))
  const to = outputPath(options, model)
  if (to !== undefined && to !== '-' && !batch.perRecord) await refuseStranger(to, runs, overwrite)
  const records = wanted.from === '-' ? await keepStdin(wanted, runs) : wanted
  let renderer: Renderer | undefined
  try {
    const rendering = await renderingOf(batch, model, { folder, records, to, bare }, options)
    if (model.budget !== undefined) await checkBudget(rendering, model.budget, model.take)
    const output = batch.perRecord ? 'output' : outputName(to)
    const { definition, locale } = options
    const handedOn = to === undefined || to === '-' ? undefined : resolve(to)
    // Threads get ready while the table's mark is taken.
    renderer = await rendererOf(rendering, records, { folder, definition, locale, bare, to: handedOn, output, workers })
    const joined = await Promise.all(model.join.map((one) => markOf(tableFile(folder, one))))
    const made = await newRunFolder(runs, options.name ?? model.prompt!.name)
    const kept = records === wanted ? records : await moveInto(made.folder, records)
    const file: RunFile = {
      ...begunWith(made, batch, options),
      envelope: envelopeMark(library, model),
      workers,
      bare,
      records: await markOf(kept),
      joined,
      output,
      to: handedOn,
    }
    if (batch.perRecord) await mkdir(join(made.folder, 'output'), { recursive: true })
    await replaceFile(join(made.folder, 'run.json'), jsonFile(file))
    return await carryOut(made.folder, file, model, { ...rendering, source: kept }, renderer, undefined, { ...options, overwrite })
  } finally {
    await renderer?.end()
    if (records !== wanted) await rm(records.from, { force: true })
  }
}

/**
 * The table of a run's records: the one that was said, else the batch's.
 *
 * @throws ProblemError where neither says one.
 */
export function tableOfRun({ records, folder }: Pick<RunOptions, 'records' | 'folder'>, model: BatchModel): TableFile {
  const table = records ?? (model.records && tableFile(folder, model.records))
  if (!table) throw new ProblemError([problem('key-missing', { key: 'records', of: 'a batch' })])
  return table
}

/** What every run writes down of its beginning, whether it renders or asks. */
export function begunWith(
  made: { readonly run: string; readonly folder: string },
  batch: Batch,
  { folder, name, definition, said = [], locale }: Pick<RunOptions, 'folder' | 'name' | 'definition' | 'said' | 'locale'>,
) {
  const { prompt, given } = batch
  return {
    run: made.run,
    state: 'running',
    process: process.pid,
    started: new Date().toISOString(),
    library: relative(made.folder, resolve(folder)),
    batch: name,
    definition,
    prompt: { name: prompt.name, fingerprint: prompt.fingerprint },
    given: fingerprintOf(given),
    said,
    locale,
  } satisfies Partial<RunFile>
}

/** All that decides what a run writes. */
async function renderingOf(
  batch: Batch,
  model: BatchModel,
  { folder, records, to, bare }: { folder: string; records: TableFile; to: string | undefined; bare: boolean },
  { notice, onHeading }: RunListener,
): Promise<Rendering> {
  const pools = await readPools(batch, folder, notice ? { notice } : {})
  const form = outputForm(to === undefined || to === '-' ? 'output.jsonl' : to, batch, await headingsOf({ batch, source: records, pools }))
  const line = await lineOptions(batch, model, bare)
  return { batch, source: records, pools, form, line, ...(notice && { notice }), ...(onHeading && { onHeading }) }
}

export interface ResumeOptions extends RunListener {
  readonly library: Library
  readonly given?: Readonly<Record<string, unknown>>
  readonly overwrite?: boolean
}

/** The library's folder of a run. */
export function libraryOf(folder: string, file: RunFile): string {
  return resolve(folder, file.library)
}

/**
 * Carries on a run that was interrupted or broke off, at any moment: its output comes to be the same, byte for byte, as if nothing had
 * happened.
 *
 * @throws ProblemError where it has ended, is under way, or where what it was begun with has changed since.
 */
export async function resumeRun(folder: string, options: ResumeOptions): Promise<RunResult> {
  const before = await resumable(folder)
  const { batch, model, home } = await unchangedBatch(folder, before, options)
  const { bytes: _, sha256: __, ...records } = before.records
  const file: RunFile = { ...before, state: 'running', process: process.pid }
  await replaceFile(join(folder, 'run.json'), jsonFile(file))
  const rendering = await renderingOf(batch, model, { folder: home, records, to: file.to, bare: file.bare }, options)
  const renderer = await rendererOf(rendering, records, { ...file, folder: home })
  try {
    return await carryOut(folder, file, model, rendering, renderer, await readCheckpoint(folder), options)
  } finally {
    await renderer.end()
  }
}

/**
 * The batch of a run, as it was begun.
 *
 * @throws ProblemError where what it was begun with has changed since.
 */
export async function unchangedBatch(
  folder: string,
  file: RunFile,
  { library, given = {} }: Pick<ResumeOptions, 'library' | 'given'>,
): Promise<{ readonly batch: Batch; readonly model: BatchModel; readonly home: string }> {
  const home = libraryOf(folder, file)
  const model = batchModel(file.definition)
  const batch = await readyBatch(library, model, home, { given, ...(file.locale !== undefined && { locale: file.locale }) })
  await refuseChanged(file, batch, model)
  return { batch, model, home }
}

/** @throws ProblemError where a run has ended, or somebody is at it. */
export async function resumable(folder: string): Promise<RunFile> {
  const before = await readRun(folder)
  if (before.state === 'done') throw new ProblemError([problem('run-over', { run: before.run })])
  if (isAlive(before) && before.process !== process.pid)
    throw new ProblemError([problem('run-alive', { run: before.run, process: before.process! })])
  return before
}

async function carryOut(
  folder: string,
  file: RunFile,
  model: BatchModel,
  rendering: Rendering,
  renderer: Renderer,
  from: Checkpoint | undefined,
  { also, onAside, onProgress, signal, overwrite = false }: RunListener & { overwrite?: boolean },
): Promise<RunResult> {
  const { batch } = rendering
  const lines = linesFile(file.output)
  const ledger = await Ledger.open(
    {
      folder,
      output: lines,
      perRecord: batch.perRecord,
      base: model.to ? commonFolder(model.to.path) : '',
      head: Buffer.from(rendering.form.head, 'latin1'),
      take: model.take ?? Infinity,
      ...(also && { also }),
      ...(onAside && { onAside }),
    },
    from,
  )
  const end = async (state: RunState, more: Partial<RunFile> = {}): Promise<RunResult> => {
    const { tally, seconds } = ledger
    const { process: _, ...rest } = file
    const ended: RunFile = {
      ...rest,
      ...more,
      state,
      counts: tally,
      seconds: Math.round(seconds * 100) / 100,
      ended: new Date().toISOString(),
    }
    const report = reportOf(ended, tally)
    await replaceFile(join(folder, 'report.md'), toMarkdown(report))
    await replaceFile(join(folder, 'report.html'), toHtml(report))
    await replaceFile(join(folder, 'run.json'), jsonFile(ended))
    return { folder, file: ended, tally, state }
  }
  try {
    if (!from?.written) {
      for await (const block of renderer.blocks(rendering.source as TableFile, ledger.skip)) {
        await ledger.take(block)
        onProgress?.({ bytesRead: block.bytesRead, bytes: file.records.bytes, tally: ledger.tally, seconds: ledger.seconds })
        if (ledger.full || signal?.aborted) break
      }
      await ledger.note(!signal?.aborted || ledger.full)
    }
    if (signal?.aborted && !ledger.full) return await end('interrupted')
    if (lines !== file.output) await convert(join(folder, lines), join(folder, file.output))
    const published = await handOn(folder, file, batch, model, overwrite)
    const result = await end('done', published ? { published } : {})
    for (const name of [CHECKPOINT_FILE, SEEN_FILE, ...(lines === file.output ? [] : [lines])])
      await rm(join(folder, name), { force: true })
    return result
  } catch (fault) {
    // What is whole stays, and can be carried on.
    await end('failed').catch(() => undefined)
    if (fault instanceof WriteFault) fault.run = folder
    throw fault
  } finally {
    await ledger.close()
  }
}

/** One thread, or as many as were asked for where the table can be cut for them. */
async function rendererOf(
  rendering: Rendering,
  table: TableFile,
  { folder, definition, locale, bare, to, output, workers }: RendererSetting,
): Promise<Renderer> {
  const { batch } = rendering
  if (workers < 2 || !canBeCut(batch, table)) return onThisThread(rendering)
  return Threads.begin(rendering, { folder, definition, given: batch.given, locale, output: to ?? output, bare, count: workers })
}

interface RendererSetting extends Pick<RunFile, 'definition' | 'locale' | 'bare' | 'to' | 'output' | 'workers'> {
  /** The library's folder. */
  readonly folder: string
}

async function handOn(folder: string, file: RunFile, batch: Batch, model: BatchModel, overwrite: boolean) {
  if (file.to === undefined) return undefined
  const from = join(folder, file.output)
  if (!batch.perRecord) return publish(from, file.to)
  return publishAll(from, resolve(file.to.slice(0, file.to.length - model.to!.path.length), commonFolder(model.to!.path)), overwrite)
}

/**
 * A batch with the files that it sets, ready to be run.
 *
 * @throws ProblemError where it cannot be.
 */
export async function readyBatch(library: Library, model: BatchModel, folder: string, options: BatchOptions): Promise<Batch> {
  const files = await filesThatItSets(library.prompt(model.prompt?.name ?? ''), model, folder, library.limits.attachmentBytes)
  return batchOf(library, model, { ...options, given: { ...files, ...options.given } })
}

/** Where the output is handed on to: what was said, else what the batch says, below the library's folder. */
export function outputPath({ to, folder }: Pick<RunOptions, 'to' | 'folder'>, model: BatchModel): string | undefined {
  return to ?? (model.to && join(folder, model.to.path))
}

function outputName(to: string | undefined): string {
  return to === undefined || to === '-' ? 'output.jsonl' : `output${extname(to).toLowerCase()}`
}

/** The file that is written while the run goes on: the output itself, or the lines that become it. */
function linesFile(output: string): string {
  return ['.xlsx', '.parquet'].includes(extname(output)) ? 'cells.jsonl' : output
}

/** A file that no run has put there, or that was changed since, is not written over unasked. */
export async function refuseStranger(to: string, runs: string, overwrite: boolean): Promise<void> {
  const there = await stat(to).catch(() => undefined)
  if (!there) return
  if (there.isDirectory()) throw new ProblemError([problem('file-unreadable', { file: to, why: 'it is a folder' })])
  const path = resolve(to)
  const ours = (await listRuns(runs)).some(({ file: { published, sent = [] } }) =>
    [published, ...sent].some((one) => one?.path === path && one.bytes === there.size && one.changed === there.mtimeMs),
  )
  if (!ours && !overwrite) throw new ProblemError([problem('output-exists', { path: to, more: 0 })])
}

/** @throws ProblemError with all that has changed since the run was begun. */
async function refuseChanged(before: RunFile, batch: Batch, model: BatchModel): Promise<void> {
  const problems: Problem[] = []
  const changed = (what: string, says: string) => problems.push(problem('run-changed', { what, says }))
  if (batch.prompt.fingerprint !== before.prompt.fingerprint)
    changed(`the prompt "${before.prompt.name}"`, 'has changed, or something that it draws on')
  if (batch.library && envelopeMark(batch.library, model)?.fingerprint !== before.envelope?.fingerprint)
    changed(`the envelope "${before.envelope?.name ?? ''}"`, 'has changed')
  if (fingerprintOf(batch.given) !== before.given) changed('the values that are set', 'have changed')
  for (const mark of [before.records, ...before.joined]) {
    const now = await markOf(mark).catch(() => undefined)
    const name = basename(mark.from)
    if (!now) changed(`the table ${name}`, 'is no longer there')
    else if (now.sha256 !== mark.sha256)
      changed(
        `the table ${name}`,
        now.bytes === mark.bytes ? 'has changed' : `has changed: it had ${mark.bytes} bytes, and has ${now.bytes}`,
      )
  }
  if (problems.length > 0) throw new ProblemError(problems)
}

async function readCheckpoint(folder: string): Promise<Checkpoint | undefined> {
  const text = await readFile(join(folder, CHECKPOINT_FILE), 'utf8').catch(() => undefined)
  return text === undefined ? undefined : (JSON.parse(text) as Checkpoint)
}

function envelopeMark(library: Library, model: BatchModel): RunFile['envelope'] {
  const name = model.envelope?.name
  return name === undefined ? undefined : { name, fingerprint: library.fingerprint({ kind: 'envelope', name }) ?? '' }
}

function fingerprintOf(given: Readonly<Record<string, unknown>>): string {
  return createHash('sha256').update(JSON.stringify(given)).digest('hex')
}

export function jsonFile(data: unknown): string {
  return `${JSON.stringify(data, null, 2)}\n`
}
