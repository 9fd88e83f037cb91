import { append, appendTo, replaceFile, WriteFault } from '../output/files.js'
import { mkdir, open, rm, type FileHandle } from 'node:fs/promises'
import { extname, join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { problem, problemRecord, ProblemError, type Batch, type BatchModel, type BatchRecord } from 'dunelight'
import { doubtText, ROW_ENDINGS, rowWriting, type FinishedRow, type RowEnding, type RowWriting } from '../answers/finished-row.js'
import { publish, type Published } from '../batches/finish.js'
import { toHtml, toMarkdown } from '../batches/report-layout.js'
import { jsonFile, type RunListener } from '../batches/run-batch.js'
import { type RunFile, type RunState } from '../batches/run-file.js'
import { countAside } from '../batches/tally.js'
import { readPools } from '../sources/records.js'
import { AnswerSource } from './answer-source.js'
import { askedRecords } from './asked-records.js'
import { ModelGone, NotAsked } from './asker.js'
import { countLabels, countUsage, newAskCounts, type AskCounts } from './ask-counts.js'
import { askReport } from './ask-report.js'
import { Questions, ScreenStop, type Answered } from './question.js'
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

/** How the output's rows are written, by where they go. */
export function endingOf(to: string | undefined): RowEnding {
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

/** A run that asks, in its folder. */
export class AskRun {
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
      const whole = await this.askAll(questions, output, aside).catch(async (fault: unknown) => {
        if (!(fault instanceof NotAsked)) throw fault
        await source.settled()
        if (this.fault) throw this.fault
        return false
      })
      await this.flush(output, aside)
      if (!whole) return await this.end('interrupted')
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

  /** Whether it came to the end of the records. */
  private async askAll(questions: Questions, output: FileHandle, aside: FileHandle): Promise<boolean> {
    const { options, file, batch } = this
    const { notice, onHeading, signal } = options
    const { only, answers = 1 } = file.asking!
    const atOnce = options.atOnce ?? options.model.atOnce
    const { bytes: _, sha256: __, ...records } = file.records
    const pools = await readPools(batch, options.folder, notice ? { notice } : {})
    const window: Promise<Done>[] = []
    let bytesRead = 0
    let rowsRead = 0
    let whole = true
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
    const asked = askedRecords({ batch, source: records, pools, ...(notice && { notice }), ...(onHeading && { onHeading }) }, only)
    reading: for await (const chunk of asked) {
      bytesRead = chunk.bytesRead
      rowsRead += chunk.rows
      if (this.headings.length === 0) this.lines.push(this.writing.head(chunk.headings))
      this.headings = chunk.headings
      for (const record of chunk.records) {
        if (signal?.aborted) {
          whole = false
          break reading
        }
        for (let draw = 1; draw <= answers; draw++) {
          const done = this.askOne(questions, record, chunk.headings, draw)
          done.catch(() => undefined)
          window.push(done)
          while (window.length >= atOnce * AHEAD) await write()
        }
      }
    }
    while (window.length > 0) await write()
    return whole
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
    if (lines !== '') await append(output, lines, this.file.output)
    if (asides !== '') await append(aside, asides, ASIDE_FILE)
    const notes = this.notes.splice(0).join('')
    if (notes !== '') await appendTo(join(this.folder, NOTES_FILE), notes)
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
