import { appendFile, mkdir, open, rm, type FileHandle } from 'node:fs/promises'
import { extname, join, relative, resolve } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { batchModel, problem, problemRecord, ProblemError, type Batch, type BatchModel, type BatchRecord, type Library } from 'dunelight'
import { doubtText, ROW_ENDINGS, rowWriting, type FinishedRow, type RowEnding, type RowWriting } from '../answers/finished-row.js'
import { recordsOf } from '../batches/blocks.js'
import { checkBudget } from '../batches/budget.js'
import { lineOptions } from '../batches/line-options.js'
import { LINES } from '../batches/output-form.js'
import type { TableFile } from '../sources/open-table.js'
import { publish, type Published } from '../batches/finish.js'
import { WriteFault } from '../batches/ledger.js'
import { toHtml, toMarkdown } from '../batches/report-layout.js'
import {
  fingerprintOf,
  jsonFile,
  libraryOf,
  outputPath,
  readyBatch,
  refuseChanged,
  refuseStranger,
  resumable,
  type RunListener,
  type RunOptions,
} from '../batches/run-batch.js'
import { markOf, newRunFolder, replaceFile, type RunFile, type RunState, type TokenCorrection } from '../batches/run-file.js'
import { keepStdin, moveInto } from '../batches/stdin.js'
import { countAside } from '../batches/tally.js'
import { readPools, tableFile } from '../sources/records.js'
import { AnswerSource } from './answer-source.js'
import { ModelGone, NotAsked } from './asker.js'
import { countLabels, countUsage, newAskCounts, type AskCounts } from './ask-counts.js'
import { correctionFor } from './correction.js'
import { askReport } from './ask-report.js'
import { Questions, ScreenStop, sha256, type Answered } from './question.js'
import type { ReadyModel } from './ready-model.js'
import { Sendings } from './sendings.js'

export interface AskProgress {
  /** Records that are done with. */
  readonly records: number
  readonly counts: AskCounts
  readonly seconds: number
  /** How much of the table is done with, from 0 to 1: as its bytes go, so that it need not be counted first. */
  readonly share: number
}

export interface AskListener extends Pick<RunListener, 'notice' | 'onHeading' | 'onAside' | 'signal'> {
  readonly onProgress?: (progress: AskProgress) => void
  /** Hears of every answer, in the order of the records; `draw` says which of several to the same question it is, from 1. */
  readonly onAnswer?: (record: BatchRecord, answered: Answered, draw: number) => void
  /** Hears why the model is asked once more. */
  readonly onAgain?: (why: string) => void
}

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

export interface AskResult {
  readonly folder: string
  readonly file: RunFile
  readonly counts: AskCounts
  readonly state: RunState
  /** The files that were written beside the output. */
  readonly sent: readonly string[]
}

/** The answers of a run, in its folder. */
export const RUN_LOG = 'answers.jsonl'
const ASIDE_FILE = 'set-aside.jsonl'
/** What screens found and let pass. */
const NOTES_FILE = 'notes.jsonl'

/**
 * Asks a model for every record of a batch: a run's folder gets the answers beside their records, what was set aside and why, and a report.
 * What was answered before is not asked again.
 *
 * @throws ProblemError where it cannot be begun: then nothing has been asked.
 */
export async function askBatch(options: AskOptions): Promise<AskResult> {
  const { library, folder, model, overwrite = false, said = [], again = 2, fresh = false, only, answers } = options
  const definition = batchModel(options.definition)
  const batch = await readyBatch(library, definition, folder, options)
  const wanted = options.records ?? (definition.records && tableFile(folder, definition.records))
  if (!wanted) throw new ProblemError([problem('key-missing', { key: 'records', of: 'a batch' })])
  const runs = resolve(options.runs ?? join(folder, 'runs'))
  const to = outputPath(options, definition)
  const ending = endingOf(to)
  if (to !== undefined) await refuseStranger(to, runs, overwrite)
  for (const { path } of definition.send) await refuseStranger(join(folder, path), runs, overwrite)
  const records = wanted.from === '-' ? await keepStdin(wanted, runs) : wanted
  const identity = sha256(model.identity)
  const correction = definition.tokens || definition.budget !== undefined ? await correctionFor(runs, identity) : undefined
  if (definition.budget !== undefined) await withinBudget(batch, definition, folder, records, correction)
  // All that can be said of the sendings is said before a question costs anything.
  new Sendings(batch, definition)
  const made = await newRunFolder(runs, options.name ?? definition.prompt!.name)
  const file: RunFile = {
    run: made.run,
    state: 'running',
    process: process.pid,
    started: new Date().toISOString(),
    library: relative(made.folder, resolve(folder)),
    batch: options.name,
    definition: options.definition,
    prompt: { name: batch.prompt.name, fingerprint: batch.prompt.fingerprint },
    envelope: undefined,
    given: fingerprintOf(batch.given),
    said,
    locale: options.locale,
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
  return new AskRun(made.folder, file, batch, definition, options).run()
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
  const model = batchModel(before.definition)
  const library = libraryOf(folder, before)
  const { given = {} } = options
  const batch = await readyBatch(options.library, model, library, { given, ...(before.locale !== undefined && { locale: before.locale }) })
  await refuseChanged(before, batch, model)
  if (sha256(options.model.identity) !== before.asking!.identity)
    throw new ProblemError([problem('run-changed', { what: `the model "${before.asking!.model}"`, says: 'is described in another way' })])
  const file: RunFile = { ...before, state: 'running', process: process.pid }
  await replaceFile(join(folder, 'run.json'), jsonFile(file))
  return new AskRun(folder, file, batch, model, { ...options, folder: library }).run()
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

function endingOf(to: string | undefined): RowEnding {
  const ending = to === undefined ? '.jsonl' : extname(to).toLowerCase()
  const known = ROW_ENDINGS.find((one) => one === ending)
  if (!known) throw new ProblemError([problem('output-ending', { path: to ?? '', known: [...ROW_ENDINGS] })])
  return known
}

/** Milliseconds for which a run that breaks off waits for what is under way. */
const LONGEST_LEAVE = 20_000

/** So many records for each request under way are read ahead, so that a slow answer holds up none. */
const AHEAD = 4

/** What came of one question. */
interface Done {
  readonly record: BatchRecord
  readonly answered: Answered
  readonly draw: number
}

class AskRun {
  private readonly counts = newAskCounts()
  private readonly started = performance.now()
  private readonly columns: readonly string[]
  private readonly labelColumns: readonly string[]
  private records = 0
  private lines: string[] = []
  private asides: string[] = []
  private notes: string[] = []
  private readonly sendings: Sendings
  private readonly writing: RowWriting
  private headings: readonly string[] = []
  /** What ends the run, as soon as it is known. */
  private fault: ProblemError | undefined
  private leave: () => void = () => undefined

  constructor(
    private readonly folder: string,
    private readonly file: RunFile,
    private readonly batch: Batch,
    private readonly model: BatchModel,
    private readonly options: AskListener & {
      readonly model: ReadyModel
      readonly atOnce?: number
      readonly folder: string
      readonly overwrite?: boolean
    },
  ) {
    const { answerColumns } = batch.prompt
    this.columns = answerColumns.map((one) => one.name)
    this.labelColumns = answerColumns.flatMap((one) => (one.labels ? [one.name] : []))
    this.sendings = new Sendings(batch, model)
    this.writing = rowWriting(endingOf(file.output), this.columns)
  }

  async run(): Promise<AskResult> {
    const { file, folder, options, batch } = this
    const { model, notice } = options
    const { again, fresh } = file.asking!
    const source = await AnswerSource.open({
      batch,
      model,
      folder: options.folder,
      log: join(folder, RUN_LOG),
      fresh,
      ...(options.atOnce !== undefined && { atOnce: options.atOnce }),
      ...(notice && { notice }),
      ...(options.onAgain && { onAgain: options.onAgain }),
    })
    const leave = (this.leave = () => source.leave())
    if (options.signal?.aborted) leave()
    options.signal?.addEventListener('abort', leave)
    // What the run wrote before it broke off is written once more: its answers are all there.
    const output = await open(join(folder, file.output), 'w')
    const aside = await open(join(folder, ASIDE_FILE), 'w')
    await rm(join(folder, NOTES_FILE), { force: true })
    const sent = await this.sendings.open(folder, this.columns)
    const questions = new Questions(batch, model, again, (...question) => source.answer(...question), source.counter)
    try {
      await this.askAll(questions, output, aside).catch(async (fault: unknown) => {
        if (!(fault instanceof NotAsked)) throw fault
        await source.settled()
        if (this.fault) throw this.fault
      })
      await this.flush(output, aside)
      const interrupted = options.signal?.aborted === true && !this.full
      if (interrupted) return await this.end('interrupted')
      await output.close()
      const published = file.to === undefined ? undefined : await publish(join(folder, file.output), file.to)
      await sent.close()
      for (const one of sent.files) await mkdir(join(options.folder, one.path, '..'), { recursive: true })
      const handed: Published[] = []
      for (const one of sent.files) handed.push(await publish(join(folder, one.name), join(options.folder, one.path)))
      return await this.end('done', { ...(published && { published }), ...(handed.length > 0 && { sent: handed }) })
    } catch (fault) {
      source.leave()
      await Promise.race([source.settled(), pause(LONGEST_LEAVE, undefined, { ref: false })])
      await this.end('failed').catch(() => undefined)
      if (fault instanceof WriteFault) fault.run = folder
      throw fault
    } finally {
      options.signal?.removeEventListener('abort', leave)
      await output.close().catch(() => undefined)
      await aside.close()
      await sent.close()
      await source.close()
    }
  }

  private get full(): boolean {
    return this.records >= (this.model.take ?? Infinity)
  }

  private async askAll(questions: Questions, output: FileHandle, aside: FileHandle): Promise<void> {
    const { options, file, batch } = this
    const { notice, onHeading, signal } = options
    const { only, answers = 1 } = file.asking!
    const atOnce = options.atOnce ?? options.model.atOnce
    const { bytes: _, sha256: __, ...records } = file.records
    const pools = await readPools(batch, options.folder, notice ? { notice } : {})
    const window: Promise<Done>[] = []
    let taken = 0
    let bytesRead = 0
    let rowsRead = 0
    const write = async (): Promise<void> => {
      const { record, answered, draw } = await window.shift()!
      await this.write(record, answered, draw)
      options.onProgress?.({
        records: this.records,
        counts: this.counts,
        seconds: (performance.now() - this.started) / 1000,
        share: Math.min(1, (record.row / Math.max(1, rowsRead)) * (bytesRead / Math.max(1, file.records.bytes))),
      })
      if (this.lines.length + this.asides.length >= LINES_AT_ONCE) await this.flush(output, aside)
    }
    const chunks = recordsOf({ batch, source: records, pools, ...(notice && { notice }), ...(onHeading && { onHeading }) })
    reading: for await (const chunk of chunks) {
      bytesRead = chunk.bytesRead
      rowsRead += chunk.rows
      if (this.headings.length === 0) this.lines.push(this.writing.head(chunk.headings))
      this.headings = chunk.headings
      for (const record of chunk.records) {
        if (signal?.aborted || taken >= (this.model.take ?? Infinity)) break reading
        if (only !== undefined && record.id !== only) continue
        taken++
        for (let draw = 1; draw <= answers; draw++) {
          const done = this.askOne(questions, record, chunk.headings, draw)
          done.catch(() => undefined)
          window.push(done)
          while (window.length >= atOnce * AHEAD) await write()
        }
        if (only !== undefined) break reading
      }
    }
    if (only !== undefined && taken === 0 && !signal?.aborted) throw new ProblemError([problem('record-unknown', { id: only })])
    while (window.length > 0) await write()
  }

  private async askOne(questions: Questions, record: BatchRecord, headings: readonly string[], draw: number): Promise<Done> {
    const { prepared, problems } = record
    if (!prepared) return { record, draw, answered: { text: undefined, form: undefined, reply: undefined, problems, notes: [], given: [] } }
    try {
      return { record, draw, answered: await questions.ask(record, prepared, headings, { draw }) }
    } catch (fault) {
      // Nothing more is asked, not even of the records before it that wait for their turn.
      if (fault instanceof ScreenStop || fault instanceof ModelGone) {
        this.fault ??= fault
        this.leave()
      }
      throw fault
    }
  }

  private async write(record: BatchRecord, answered: Answered, draw: number): Promise<void> {
    const { counts, headings } = this
    const { id, row, cells, raw } = record
    const { problems, form, reply, text, given } = answered
    this.records++
    for (const { answer, kept, estimate } of given) {
      if (kept) counts.kept++
      else {
        counts.asks++
        countUsage(counts, answer.usage)
        if (answer.usage && estimate !== undefined) {
          counts.estimated += estimate
          counts.usedOfEstimated += answer.usage.asked
        }
      }
    }
    for (const { screen, says } of answered.notes) {
      counts.noted++
      this.notes.push(`${JSON.stringify({ row, record: id, screen, found: says })}\n`)
    }
    counts.corrected += Math.max(0, given.length - 1)
    this.options.onAnswer?.(record, answered, draw)
    if (problems.length > 0) {
      countAside(counts, id, row, problems)
      const recorded = problems.map(problemRecord)
      const whole = raw ?? Object.fromEntries(headings.map((heading, i) => [heading, cells[i] ?? null]))
      const said = text === undefined ? {} : { reply: text, kept: reply?.kept ?? null }
      this.asides.push(`${JSON.stringify({ row, record: id, problems: recorded, ...said, raw: whole })}\n`)
      this.options.onAside?.({ row, id, problems: recorded, raw: whole })
      return
    }
    const answer = form ? form.columns(reply!.value) : { reply: text }
    const { repaired = [], doubts = [] } = reply ?? {}
    const madeUp = given.some((one) => one.answer.madeUp)
    if (madeUp) counts.madeUp++
    counts.answered++
    if (repaired.length > 0) counts.repaired++
    if (doubts.length > 0) counts.doubtful++
    countLabels(counts, answer, this.labelColumns)
    const finished: FinishedRow = {
      cells,
      answer,
      repaired: repaired.map((p) => p.message),
      doubts: doubts.map(doubtText),
      madeUp,
      about: { record: id, number: row, model: this.file.asking!.model, ...(this.file.asking!.answers !== undefined && { draw }) },
    }
    this.lines.push(this.writing.line(finished, headings))
    await this.sendings.write(record, finished, headings)
  }

  private async flush(output: FileHandle, aside: FileHandle): Promise<void> {
    const lines = this.lines.splice(0).join('')
    const asides = this.asides.splice(0).join('')
    if (lines !== '') await output.appendFile(lines)
    if (asides !== '') await aside.appendFile(asides)
    const notes = this.notes.splice(0).join('')
    if (notes !== '') await appendFile(join(this.folder, NOTES_FILE), notes)
  }

  private async end(state: RunState, more: Partial<RunFile> = {}): Promise<AskResult> {
    const { process: _, ...rest } = this.file
    const seconds = Math.round((performance.now() - this.started) / 10) / 100
    const ended: RunFile = {
      ...rest,
      ...more,
      state,
      seconds,
      ended: new Date().toISOString(),
      asking: { ...this.file.asking!, counts: this.counts },
    }
    const report = askReport(ended, this.counts, this.options.model.price)
    await replaceFile(join(this.folder, 'report.md'), toMarkdown(report))
    await replaceFile(join(this.folder, 'report.html'), toHtml(report))
    await replaceFile(join(this.folder, 'run.json'), jsonFile(ended))
    return { folder: this.folder, file: ended, counts: this.counts, state, sent: (ended.sent ?? []).map(({ path }) => path) }
  }
}

const LINES_AT_ONCE = 64
