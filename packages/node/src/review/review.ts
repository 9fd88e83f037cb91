import type { AnswerColumn } from 'dunelight/parts'
import { join } from 'node:path'
import PQueue from 'p-queue'
import { ProblemError, type Library, type Problem } from 'dunelight'
import { problem, type Batch, type BatchRecord, defined, type OriginText } from 'dunelight/host'
import type { FinishedRow } from '../replies/finished-row.js'
import { AnswerSource } from '../ask/answer-source.js'
import { isAskRun, type AskRun } from '../ask/ask-run.js'
import { RUN_LOG } from '../ask/ask-task.js'
import { partName } from '../ask/part-questions.js'
import { REVIEW_FILE, ReviewLog } from '../ask/review-log.js'
import type { ReadyModel } from '../models/ready-model.js'
import { unchangedBatch } from '../runs/begin.js'
import { writeRun } from '../runs/carry-out.js'
import { holderOf } from '../runs/lease.js'
import { readRun } from '../runs/run-file.js'
import { KnownIds } from '../runs/known-ids.js'
import { Selection } from '../runs/selection.js'
import { openSource, recordsOf, type RecordSource } from '../sources/records.js'
import { AssemblySubjects } from './assembly-subjects.js'
import { Decisions, type ReviewAction, type ReviewResult } from './decisions.js'
import { PromptSubjects } from './prompt-subjects.js'
import { reviewedOf, type ReviewedRecord, type Subject } from './subject.js'

/** A record that can be exported. */
export interface SettledRecord {
  readonly headings: readonly string[]
  readonly row: FinishedRow
  readonly values: Readonly<Record<string, unknown>>
  /** Parts that were accepted for other inputs than those of now. */
  readonly outOfDate: readonly string[]
}

export interface ReviewOptions {
  readonly library: Library
  readonly model: ReadyModel
  readonly values?: Readonly<Record<string, unknown>>
  readonly notice?: (problem: Problem) => void
  readonly onRetry?: (why: string) => void
  readonly signal?: AbortSignal
}

/**
 * A finished run that asked, opened for review. Accepted answers stay as they are; answers and decisions are only ever added.
 *
 * @example
 * const thrown = await Review.open('demo/marram-house', {}).catch((error) => error)
 * thrown.problems[0].code // => 'run-unreadable'
 */
export class Review {
  private constructor(
    readonly folder: string,
    readonly file: AskRun,
    private readonly batch: Batch,
    private readonly table: RecordSource,
    private readonly log: ReviewLog,
    private readonly source: AnswerSource,
    private readonly options: ReviewOptions,
  ) {
    const { corrections, candidates = 1 } = file.asking
    const { model, signal } = options
    this.decisions = new Decisions(log, model.name, signal)
    this.assemblies = batch.assembly ? new AssemblySubjects(batch, model, corrections, source, log) : undefined
    this.byRecord = this.assemblies ?? new PromptSubjects(batch, model, corrections, source, candidates)
  }

  private readonly decisions: Decisions
  private readonly byRecord: Pick<PromptSubjects, 'of'>
  private readonly assemblies: AssemblySubjects | undefined

  static async open(folder: string, options: ReviewOptions): Promise<Review> {
    const file = await readRun(folder)
    if (!isAskRun(file)) throw new ProblemError([problem('run-without-answers', { run: file.run })])
    const holder = await holderOf(folder)
    if (holder) throw new ProblemError([problem('run-active', { run: file.run, process: holder.process })])
    const { batch, home, records } = await unchangedBatch(folder, file, options)
    const table = await openSource(batch, home, records)
    const { model, notice, onRetry } = options
    const log = await ReviewLog.open(join(folder, REVIEW_FILE))
    const source = await AnswerSource.open({
      batch,
      model,
      folder: home,
      log: join(folder, RUN_LOG),
      fresh: true,
      ...(notice && { notice }),
      ...(onRetry && { onRetry }),
    })
    return new Review(folder, file, batch, table, log, source, options)
  }

  close(): Promise<void> {
    return this.source.close()
  }

  /** All records with their answers, in the order of the table; of an assembly all parts that can be answered by now. */
  async *records(): AsyncGenerator<ReviewedRecord> {
    for await (const { record, headings } of this.bare())
      for (const subject of await this.byRecord.of(record, headings)) yield this.reviewed(subject)
  }

  /** Whether its records are documents of several parts. */
  get isAssembly(): boolean {
    return this.assemblies !== undefined
  }

  /**
   * One record of an assembly: its parts, and the document with the origins of its text.
   *
   * @throws ProblemError if the run does not have the record.
   */
  async assembled(id: string): Promise<{
    readonly parts: readonly ReviewedRecord[]
    readonly document: OriginText | undefined
    readonly outOfDate: readonly string[]
    readonly isMock: boolean
  }> {
    const known = new KnownIds()
    for await (const { record, headings } of this.bare()) {
      known.add(record.id)
      if (record.id !== id) continue
      const { subjects, document, outOfDate } = await defined(this.assemblies).assembled(record, headings)
      const parts = subjects.map((subject) => this.reviewed(subject))
      return { parts, document, outOfDate, isMock: hasMock(parts) }
    }
    throw new ProblemError([known.unknown(id)])
  }

  /** The names of the run's records, in the order of the table. */
  async recordNames(): Promise<readonly string[]> {
    const names: string[] = []
    for await (const { record } of this.bare()) names.push(record.id)
    return names
  }

  /**
   * The accepted answers with their rows, in the order of the table; with `all`, of the others the last that could be read. Of an assembly the
   * records whose document is finished.
   */
  async *settled(all = false): AsyncGenerator<SettledRecord> {
    for await (const { record, headings } of this.bare()) {
      const about = { record: record.id, number: record.row, model: this.file.asking.model }
      const values = record.prepared?.values ?? {}
      const row = { cells: record.cells, about }
      if (this.assemblies) {
        const { subjects, columns, outOfDate } = await this.assemblies.assembled(record, headings)
        const parts = subjects.map((subject) => this.reviewed(subject))
        if (columns) yield { headings, values, outOfDate, row: { ...row, answer: columns, ...remarksOf(parts), isMock: hasMock(parts) } }
        continue
      }
      const [subject] = await this.byRecord.of(record, headings)
      const { candidates, accepted, state } = this.reviewed(defined(subject))
      const last = all && state !== 'discarded' ? candidates.findLast(({ answer }) => answer !== undefined) : undefined
      const candidate = candidates.find(({ number }) => number === accepted) ?? last
      if (!candidate?.answer) continue
      const { answer, repairs, unsupported, similarItems, isMock } = candidate
      yield { headings, values, outOfDate: [], row: { ...row, answer, repairs, unsupported, similar: similarItems, isMock } }
    }
  }

  /** The columns of an answer. */
  get columns(): readonly AnswerColumn[] {
    return this.batch.answerColumns
  }

  /**
   * Carries out the actions, in order. Answers are requested several at a time.
   *
   * @throws ProblemError where a record is named that the run does not have; then nothing has been done.
   */
  async apply(actions: readonly ReviewAction[], onDone: (done: ReviewResult) => void): Promise<void> {
    const named = new Set(actions.flatMap(({ records }) => (typeof records === 'string' ? [] : [...records])))
    const all = actions.some(({ records }) => typeof records === 'string')
    if (named.size > 0) await this.refuseUnknown(named)
    const queue = new PQueue({ concurrency: this.options.model.concurrency })
    let fault: Error | undefined
    const changed = new Set<string>()
    for await (const { record, headings } of this.bare()) {
      if (this.options.signal?.aborted || fault !== undefined) break
      if (!all && ![...named].some((name) => this.isOf(name, record.id))) continue
      const run = async () => {
        if (await this.applyTo(record, headings, actions, named, onDone)) changed.add(record.id)
      }
      if (actions.every(({ does }) => does !== 'regenerate')) await run()
      else {
        await queue.onSizeLessThan(this.options.model.concurrency)
        queue.add(run).catch((thrown: unknown) => {
          fault ??= thrown instanceof Error ? thrown : new Error(String(thrown))
        })
      }
    }
    await queue.onIdle()
    // What depends on a decision is asked when the run is resumed.
    if (changed.size > 0 && this.assemblies && this.file.state === 'done') await writeRun(this.folder, { ...this.file, state: 'waiting' })
    if (fault !== undefined) throw fault
  }

  /** Carries out what is meant for one record. In order: a regenerated part belongs to the answer that was just accepted. */
  private async applyTo(
    record: BatchRecord,
    headings: readonly string[],
    actions: readonly ReviewAction[],
    named: ReadonlySet<string>,
    onDone: (done: ReviewResult) => void,
  ): Promise<boolean> {
    const atFirst = new Set((await this.byRecord.of(record, headings)).map(({ name }) => name))
    let isChanged = false
    for (const action of actions) {
      const subjects = await this.byRecord.of(record, headings)
      const { records } = action
      if (typeof records !== 'string') this.reportMissing(records, record, subjects, action, onDone)
      for (const subject of subjects) {
        const before = this.reviewed(subject)
        const isOwn = named.has(subject.name) || named.has(record.id)
        const isMeant =
          typeof records !== 'string'
            ? records.has(subject.name) || records.has(record.id)
            : // A record with an action of its own is not part of the rest.
              !isOwn && atFirst.has(subject.name) && (records === 'open' ? before.state === 'open' : before.state !== 'accepted')
        if (!isMeant) continue
        const done = await this.decisions.carryOut(subject, before, action)
        if (!done) continue
        isChanged ||= done.problems.length === 0 && done.does !== 'regenerate'
        onDone({ ...done, reviewed: this.reviewed(subject) })
      }
    }
    return isChanged
  }

  /** Tells of parts that the record does not have, or not yet. */
  private reportMissing(
    names: ReadonlySet<string>,
    record: BatchRecord,
    subjects: readonly Subject[],
    { does }: ReviewAction,
    onDone: (done: ReviewResult) => void,
  ): void {
    if (!this.assemblies) return
    const [first] = subjects
    for (const name of names) {
      if (!first || name === record.id || !this.isOf(name, record.id) || subjects.some((subject) => subject.name === name)) continue
      const known = subjects.flatMap(({ part }) => part?.key ?? [])
      const p = problem('part-not-ready', { part: name.slice(record.id.length + 1), record: record.id, known })
      onDone({ record: name, does, problems: [p], candidate: undefined, reviewed: this.reviewed(first) })
    }
  }

  private async refuseUnknown(names: ReadonlySet<string>): Promise<void> {
    const missing = new Set(names)
    const known = new KnownIds()
    for await (const { record } of this.bare()) {
      known.add(record.id)
      for (const name of missing) if (this.isOf(name, record.id)) missing.delete(name)
      if (missing.size === 0) return
    }
    throw new ProblemError([...missing].map((id) => known.unknown(id)))
  }

  /** Whether a name is that of a record, or of a part of it. */
  private isOf(name: string, record: string): boolean {
    return name === record || (this.assemblies !== undefined && name.startsWith(partName(record, '')))
  }

  private reviewed(subject: Subject): ReviewedRecord {
    return reviewedOf(subject, this.log.of(subject.name))
  }

  private async *bare(): AsyncGenerator<{ record: BatchRecord; headings: readonly string[] }> {
    const { only } = this.file.asking
    const selection = new Selection({ take: this.batch.model.take, only, unique: true })
    for await (const { records, headings } of recordsOf(this.table)) {
      for (const record of records) {
        if (selection.full) return
        // Two records of one name cannot be distinguished: the second has no answer.
        if (selection.of(record) === 'wanted') yield { record, headings }
      }
    }
    selection.end()
  }
}

function hasMock(parts: readonly ReviewedRecord[]): boolean {
  return parts.some(({ candidates }) => candidates.some(({ isMock }) => isMock))
}

/** What there is to check of the parts' answers that count. */
function remarksOf(
  parts: readonly ReviewedRecord[],
): Pick<FinishedRow, 'repairs' | 'unsupported'> & { readonly similar: readonly string[] } {
  const used = parts.flatMap(({ candidates, accepted, taken }) => candidates.find(({ number }) => number === (accepted ?? taken)) ?? [])
  return {
    repairs: used.flatMap(({ repairs }) => repairs),
    unsupported: used.flatMap(({ unsupported }) => unsupported),
    similar: used.flatMap(({ similarItems }) => similarItems),
  }
}
