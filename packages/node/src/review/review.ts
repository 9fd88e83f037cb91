import type { AnswerColumn } from 'dunelight/parts'
import { join } from 'node:path'
import PQueue from 'p-queue'
import { ProblemError, type Library, type Problem } from 'dunelight'
import { problem, type Batch, type BatchRecord, defined } from 'dunelight/host'
import { unsupportedText, type FinishedRow } from '../replies/finished-row.js'
import { nearlyTheSame } from '../replies/likeness.js'
import { AnswerSource } from '../ask/answer-source.js'
import { isAskRun, type AskRun } from '../ask/ask-run.js'
import { RUN_LOG } from '../ask/ask-task.js'
import { Questions, type Answered } from '../ask/question.js'
import type { ReadyModel } from '../models/ready-model.js'
import { unchangedBatch } from '../runs/begin.js'
import { holderOf } from '../runs/lease.js'
import { readRun } from '../runs/run-file.js'
import { KnownIds } from '../runs/known-ids.js'
import { Selection } from '../runs/selection.js'
import { openSource, recordsOf, type RecordSource } from '../sources/records.js'
import { ReviewLog, type ReviewLine } from './review-log.js'

/** One of the answers to a record, by its number from 1. */
export interface Candidate {
  readonly number: number
  readonly text: string
  /** Undefined where it could not be read. */
  readonly answer: Readonly<Record<string, unknown>> | undefined
  readonly problems: readonly Problem[]
  readonly repairs: readonly string[]
  readonly unsupported: readonly string[]
  /** Its rows and list items that are nearly the same as one before them. */
  readonly similarItems: readonly string[]
  readonly isMock: boolean
  /** The first answer that is nearly equal. */
  readonly similar: number | undefined
  /** The part that was regenerated, and the answer that the rest was taken from. */
  readonly isRegenerated: { readonly part: string; readonly of: number } | undefined
  /** Whether a person wrote it. */
  readonly isEdited: boolean
}

/** A record of a run with its answers, and what was decided. */
export interface ReviewedRecord {
  readonly record: string
  readonly row: number
  readonly candidates: readonly Candidate[]
  readonly state: 'accepted' | 'discarded' | 'open'
  /** The answer that was accepted. */
  readonly accepted: number | undefined
  /** The parts of its answer that can be regenerated alone. */
  readonly parts: readonly string[]
  /** Why it has no answer. */
  readonly problems: readonly Problem[]
}

/** Something to be done with a record: by its name, or all that nothing was decided of (`open`), or that was not accepted (`unaccepted`). */
export type ReviewAction = { readonly records: ReadonlySet<string> | 'open' | 'unaccepted' } & (
  | { readonly does: 'accept'; readonly answer?: number }
  | { readonly does: 'discard' }
  | { readonly does: 'regenerate'; readonly part?: string }
  /** A text by hand, as one more answer, which is accepted if it can be read. */
  | { readonly does: 'edit'; readonly text: string }
)

/** What was done with one record, or why nothing was. */
export interface ReviewResult {
  readonly record: string
  readonly does: ReviewAction['does']
  readonly problems: readonly Problem[]
  /** The answer that was accepted, or that came. */
  readonly candidate: Candidate | undefined
  /** The record as it is now. */
  readonly reviewed: ReviewedRecord
}

/** What was done, before it is looked at what the record is now. */
type Done = Omit<ReviewResult, 'reviewed'>

export interface ReviewOptions {
  readonly library: Library
  readonly model: ReadyModel
  readonly values?: Readonly<Record<string, unknown>>
  readonly notice?: (problem: Problem) => void
  readonly onRetry?: (why: string) => void
  readonly signal?: AbortSignal
}

/** A record of the run's table, as the run saw it, and what is needed to ask for it again. */
interface Subject {
  readonly record: BatchRecord
  readonly headings: readonly string[]
  readonly reviewed: ReviewedRecord
  /** The answers that the run was given for it, by which later ones are read too. */
  readonly answers: readonly Answered[]
}

const REVIEW_FILE = 'review.jsonl'

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
  ) {}

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

  /** All records with their answers, in the order of the table. */
  async *records(): AsyncGenerator<ReviewedRecord> {
    for await (const { reviewed } of this.subjects(() => true)) yield reviewed
  }

  /** The accepted answers with their rows, in the order of the table; with `all`, of the others the last that could be read. */
  async *settled(
    all = false,
  ): AsyncGenerator<{ headings: readonly string[]; row: FinishedRow; values: Readonly<Record<string, unknown>> }> {
    for await (const { record, headings, reviewed } of this.subjects(() => true)) {
      const { candidates, accepted, state } = reviewed
      const last = all && state !== 'discarded' ? candidates.findLast(({ answer }) => answer !== undefined) : undefined
      const candidate = candidates.find(({ number }) => number === accepted) ?? last
      if (!candidate?.answer) continue
      const { answer, repairs, unsupported, similarItems, isMock } = candidate
      const about = { record: record.id, number: record.row, model: this.file.asking.model }
      yield {
        headings,
        row: { cells: record.cells, answer, repairs, unsupported, similar: similarItems, isMock, about },
        values: defined(record.prepared).values,
      }
    }
  }

  /** The columns of an answer. */
  get columns(): readonly AnswerColumn[] {
    return this.batch.prompt.answerColumns
  }

  /**
   * Carries out the actions, in order. Answers are requested several at a time.
   *
   * @throws ProblemError where a record is named that the run does not have; then nothing has been done.
   */
  async apply(actions: readonly ReviewAction[], onDone: (done: ReviewResult) => void): Promise<void> {
    const named = new Set(actions.flatMap(({ records }) => (typeof records === 'string' ? [] : [...records])))
    const all = actions.some(({ records }) => typeof records === 'string')
    if (named.size > 0) {
      const missing = new Set(named)
      const known = new KnownIds()
      for await (const { record } of this.bare()) {
        known.add(record.id)
        if (missing.delete(record.id) && missing.size === 0) break
      }
      if (missing.size > 0) throw new ProblemError([...missing].map((id) => known.unknown(id)))
    }
    const queue = new PQueue({ concurrency: this.options.model.concurrency })
    let fault: Error | undefined
    for await (const subject of this.subjects((id) => all || named.has(id))) {
      if (this.options.signal?.aborted || fault !== undefined) break
      const { state, record } = subject.reviewed
      const own = actions.filter(({ records }) => typeof records !== 'string' && records.has(record))
      const rest = actions.filter(({ records }) =>
        records === 'open' ? state === 'open' : records === 'unaccepted' && state !== 'accepted',
      )
      // A record with an action of its own is not part of the rest.
      const meant = own.length > 0 ? own : rest
      // In order: a regenerated part belongs to the answer that was just accepted.
      const run = async () => {
        for (const action of meant) {
          const now = { ...subject, reviewed: this.reviewed(subject.record, subject.answers) }
          const done = await this.carryOut(now, action)
          if (done) onDone({ ...done, reviewed: this.reviewed(subject.record, subject.answers) })
        }
      }
      if (meant.every(({ does }) => does !== 'regenerate')) await run()
      else {
        await queue.onSizeLessThan(this.options.model.concurrency)
        queue.add(run).catch((thrown: unknown) => {
          fault ??= thrown instanceof Error ? thrown : new Error(String(thrown))
        })
      }
    }
    await queue.onIdle()
    if (fault !== undefined) throw fault
  }

  private carryOut(subject: Subject, action: ReviewAction): Promise<Done | undefined> {
    if (action.does === 'regenerate') return this.regenerate(subject, action.part)
    return action.does === 'edit' ? this.edit(subject, action.text) : this.settle(subject, action)
  }

  private async edit({ reviewed: { record, row, candidates }, answers: [first] }: Subject, text: string): Promise<Done> {
    const refused = (problems: readonly Problem[]): Done => ({ record, does: 'edit', problems, candidate: undefined })
    if (!first?.read) return refused([problem('answer-unknown', { record, number: 1, count: 0 })])
    const at = new Date().toISOString()
    const line: ReviewLine = { record, row, at, does: 'add', text, model: '', byHand: true }
    const candidate = candidateOf(candidates.length + 1, text, first, false, line)
    if (candidate.problems.length > 0) return refused(candidate.problems)
    await this.log.add(line)
    await this.log.add({ record, row, at, does: 'accept', answer: candidate.number })
    return { record, does: 'edit', problems: [], candidate }
  }

  private async settle(
    { reviewed: { record, row, candidates, problems } }: Subject,
    action: ReviewAction & { does: 'accept' | 'discard' },
  ): Promise<Done> {
    const now = new Date().toISOString()
    const refused = (why: readonly Problem[]): Done => ({ record, does: action.does, problems: why, candidate: undefined })
    if (action.does === 'discard') {
      await this.log.add({ record, row, at: now, does: 'discard' })
      return { record, does: 'discard', problems: [], candidate: undefined }
    }
    const readable = candidates.filter((candidate) => candidate.answer !== undefined)
    const candidate = action.answer === undefined ? readable.at(-1) : candidates.find((candidate) => candidate.number === action.answer)
    if (!candidate) {
      const why =
        action.answer === undefined ? problems : [problem('answer-unknown', { record, number: action.answer, count: candidates.length })]
      return refused(why.length > 0 ? why : [problem('answer-unknown', { record, number: 1, count: candidates.length })])
    }
    if (!candidate.answer) return refused(candidate.problems)
    await this.log.add({ record, row, at: now, does: 'accept', answer: candidate.number })
    return { record, does: 'accept', problems: [], candidate }
  }

  /** Asks once more: for the whole answer, or for a part of the one that was accepted, else of the last. */
  private async regenerate({ record, headings, reviewed, answers: values }: Subject, part: string | undefined): Promise<Done | undefined> {
    if (this.options.signal?.aborted) return undefined
    const { prepared, id, row } = record
    const refused = (problems: readonly Problem[]): Done => ({ record: id, does: 'regenerate', problems, candidate: undefined })
    if (!prepared) return refused(record.problems)
    const candidateNumber = reviewed.candidates.length + 1
    const from =
      reviewed.candidates.find(({ number }) => number === reviewed.accepted) ??
      reviewed.candidates.findLast((candidate) => candidate.answer !== undefined)
    if (part !== undefined && !reviewed.parts.includes(part)) return refused([problem('part-unknown', { part, known: reviewed.parts })])
    if (part !== undefined && !from) return refused([problem('answer-unknown', { record: id, number: 1, count: 0 })])
    const questions = this.questions((key, request) => this.source.answer(key, request))
    const answered = await questions.ask(record, prepared, headings, {
      candidate: candidateNumber,
      ...(part !== undefined && { retry: { text: defined(from).text, part } }),
    })
    const { form, reply, text, problems } = answered
    if (text === undefined || problems.length > 0) return refused(problems)
    const whole =
      part === undefined
        ? text
        : defined(form).write(defined(form).exchange(defined(form).read(defined(from).text).partial, defined(reply).value, part))
    const isMock = answered.answers.some((answer) => answer.answer.isMock)
    const line: ReviewLine = {
      record: id,
      row,
      at: new Date().toISOString(),
      does: 'add',
      text: whole,
      model: this.options.model.name,
      ...(part !== undefined && { part, of: defined(from).number }),
      ...(isMock && { isMock: true as const }),
    }
    await this.log.add(line)
    const candidate = candidateOf(candidateNumber, whole, values[0] ?? answered, isMock, line)
    return { record: id, does: 'regenerate', problems: candidate.problems, candidate }
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

  private async *subjects(wanted: (id: string) => boolean): AsyncGenerator<Subject> {
    const { candidates = 1 } = this.file.asking
    // Only what the run was answered: nothing is asked to look at it.
    const questions = this.questions(async (key) => {
      const answer = await this.source.answered(key)
      if (!answer) throw new Unanswered()
      return { answer, cached: true }
    })
    for await (const { record, headings } of this.bare()) {
      if (!wanted(record.id)) continue
      const answers: Answered[] = []
      for (let candidateNumber = 1; record.prepared && candidateNumber <= candidates; candidateNumber++) {
        try {
          answers.push(await questions.ask(record, record.prepared, headings, { candidate: candidateNumber }))
        } catch (fault) {
          if (!(fault instanceof Unanswered)) throw fault
        }
      }
      yield { record, headings, answers, reviewed: this.reviewed(record, answers) }
    }
  }

  private reviewed(record: BatchRecord, answers: readonly Answered[]): ReviewedRecord {
    const candidates = answers.flatMap((answered, i) => {
      if (answered.text === undefined) return []
      const isMock = answered.answers.some(({ answer }) => answer.isMock)
      return [
        {
          ...candidateOf(i + 1, answered.text, answered, isMock),
          problems: answered.problems,
          ...(answered.problems.length > 0 && { answer: undefined }),
        },
      ]
    })
    let accepted: number | undefined
    let discarded = false
    for (const line of this.log.of(record.id)) {
      if (line.does === 'accept') [accepted, discarded] = [line.answer, false]
      else if (line.does === 'discard') [accepted, discarded] = [undefined, true]
      else {
        if (answers[0]) candidates.push(candidateOf(candidates.length + 1, line.text, answers[0], line.isMock === true, line))
        discarded = false
      }
    }
    const similar = nearlyTheSame(candidates.map(({ text }) => text))
    return {
      record: record.id,
      row: record.row,
      candidates: candidates.map((candidate, i) => ({ ...candidate, similar: similar[i] })),
      state: accepted !== undefined ? 'accepted' : discarded ? 'discarded' : 'open',
      accepted,
      parts: partsOf(
        answers[0],
        candidates.find(({ number }) => number === accepted) ?? candidates.findLast(({ answer }) => answer !== undefined),
      ),
      problems: record.prepared ? (answers[0]?.problems ?? []) : record.problems,
    }
  }

  private questions(answering: ConstructorParameters<typeof Questions>[3]): Questions {
    return new Questions(this.batch, this.options.model, this.file.asking.corrections, answering, this.source.counter)
  }
}

/** A question that the run never got an answer to. */
class Unanswered extends Error {
  override readonly name: string = 'Unanswered'
}

/** The parts of the answer from which the rest is taken. */
function partsOf(answered: Answered | undefined, from: Candidate | undefined): readonly string[] {
  const form = answered?.form
  return form ? form.partsOf(from && form.read(from.text).partial) : []
}

/** A text as an answer to the same question. */
function candidateOf(
  number: number,
  text: string,
  { form, read }: Answered,
  isMock: boolean,
  line?: ReviewLine & { does: 'add' },
): Candidate {
  const reply = read?.(text)
  const problems = reply?.problems ?? []
  return {
    number,
    text,
    answer: problems.length > 0 ? undefined : form ? form.columns(defined(reply).value) : { reply: text },
    problems,
    repairs: (reply?.repairs ?? []).map(({ message }) => message),
    unsupported: (reply?.unsupported ?? []).map(unsupportedText),
    similarItems: (reply?.similar ?? []).map((p) => p.message),
    isMock,
    similar: undefined,
    isEdited: line?.byHand === true,
    isRegenerated: line?.part === undefined ? undefined : { part: line.part, of: defined(line.of) },
  }
}
