import { join } from 'node:path'
import PQueue from 'p-queue'
import { ProblemError, type Library, type Problem } from 'dunelight'
import { problem, type Batch, type BatchRecord, defined } from 'dunelight/host'
import { doubtText, type FinishedRow } from '../replies/finished-row.js'
import { nearlyTheSame } from '../replies/likeness.js'
import { AnswerSource } from '../ask/answer-source.js'
import { isAskRun, type AskRun } from '../ask/ask-run.js'
import { RUN_LOG } from '../ask/ask-task.js'
import { Questions, type Answered } from '../ask/question.js'
import type { ReadyModel } from '../models/ready-model.js'
import { unchangedBatch } from '../runs/begin.js'
import { holderOf } from '../runs/lease.js'
import { readRun } from '../runs/run-file.js'
import { Selection } from '../runs/selection.js'
import { openSource, recordsOf, type RecordSource } from '../sources/records.js'
import { PickLog, type PickLine } from './pick-log.js'

/** One of the answers to a record, by its number from 1. */
export interface Candidate {
  readonly number: number
  readonly text: string
  /** Undefined where it could not be read. */
  readonly answer: Readonly<Record<string, unknown>> | undefined
  readonly problems: readonly Problem[]
  readonly repaired: readonly string[]
  readonly doubts: readonly string[]
  readonly madeUp: boolean
  /** The first answer that says nearly the same. */
  readonly like: number | undefined
  /** The part that was asked for anew, and the answer that the rest was taken from. */
  readonly anew: { readonly part: string; readonly of: number } | undefined
}

/** A record of a run with its answers, and what was decided. */
export interface PickedRecord {
  readonly record: string
  readonly row: number
  readonly candidates: readonly Candidate[]
  readonly state: 'kept' | 'rejected' | 'open'
  /** The answer that was kept. */
  readonly kept: number | undefined
  /** What of its answer can be asked for anew by itself. */
  readonly parts: readonly string[]
  /** Why it has no answer. */
  readonly problems: readonly Problem[]
}

/** Something to be done with a record: by its name, or all that nothing was decided of (`open`), or that was not kept (`unkept`). */
export type PickDeed = { readonly records: ReadonlySet<string> | 'open' | 'unkept' } & (
  { readonly does: 'keep'; readonly answer?: number } | { readonly does: 'reject' } | { readonly does: 'again'; readonly part?: string }
)

/** What was done with one record, or why nothing was. */
export interface PickDone {
  readonly record: string
  readonly does: PickDeed['does']
  readonly problems: readonly Problem[]
  /** The answer that was kept, or that came. */
  readonly candidate: Candidate | undefined
}

export interface PickOptions {
  readonly library: Library
  readonly model: ReadyModel
  readonly given?: Readonly<Record<string, unknown>>
  readonly notice?: (found: Problem) => void
  readonly onAgain?: (why: string) => void
  readonly signal?: AbortSignal
}

/** A record of the run's table, as the run saw it, and what is needed to ask for it again. */
interface Subject {
  readonly record: BatchRecord
  readonly headings: readonly string[]
  readonly picked: PickedRecord
  /** The answers that the run was given for it, by which later ones are read too. */
  readonly given: readonly Answered[]
}

const PICKS_FILE = 'picks.jsonl'

/**
 * A finished run that asked, opened for review. Accepted answers stay as they are; answers and decisions are only ever added.
 *
 * @example
 * const thrown = await Picking.open('demo/marram-house', {}).catch((error) => error)
 * thrown.problems[0].code // => 'run-unreadable'
 */
export class Picking {
  private constructor(
    readonly folder: string,
    readonly file: AskRun,
    private readonly batch: Batch,
    private readonly table: RecordSource,
    private readonly log: PickLog,
    private readonly source: AnswerSource,
    private readonly options: PickOptions,
  ) {}

  static async open(folder: string, options: PickOptions): Promise<Picking> {
    const file = await readRun(folder)
    if (!isAskRun(file)) throw new ProblemError([problem('run-asked-nothing', { run: file.run })])
    const holder = await holderOf(folder)
    if (holder) throw new ProblemError([problem('run-alive', { run: file.run, process: holder.process })])
    const { batch, home, records } = await unchangedBatch(folder, file, options)
    const table = await openSource(batch, home, records)
    const { model, notice, onAgain } = options
    const log = await PickLog.open(join(folder, PICKS_FILE))
    const source = await AnswerSource.open({
      batch,
      model,
      folder: home,
      log: join(folder, RUN_LOG),
      fresh: true,
      ...(notice && { notice }),
      ...(onAgain && { onAgain }),
    })
    return new Picking(folder, file, batch, table, log, source, options)
  }

  close(): Promise<void> {
    return this.source.close()
  }

  /** All records with their answers, in the order of the table. */
  async *records(): AsyncGenerator<PickedRecord> {
    for await (const { picked } of this.subjects(() => true)) yield picked
  }

  /** The kept answers beside their rows, in the order of the table. */
  async *settled(): AsyncGenerator<{ headings: readonly string[]; row: FinishedRow; values: Readonly<Record<string, unknown>> }> {
    for await (const { record, headings, picked } of this.subjects(() => true)) {
      const one = picked.candidates.find(({ number }) => number === picked.kept)
      if (!one?.answer) continue
      const { answer, repaired, doubts, madeUp } = one
      const about = { record: record.id, number: record.row, model: this.file.asking.model }
      yield { headings, row: { cells: record.cells, answer, repaired, doubts, madeUp, about }, values: defined(record.prepared).values }
    }
  }

  /** The columns of an answer. */
  get columns(): readonly string[] {
    return this.batch.prompt.answerColumns.map(({ name }) => name)
  }

  /**
   * Does what is to be done, each deed in turn. Answers that are asked for come several at a time.
   *
   * @throws ProblemError where a record is named that the run does not have; then nothing has been done.
   */
  async decide(deeds: readonly PickDeed[], onDone: (done: PickDone) => void): Promise<void> {
    const named = new Set(deeds.flatMap(({ records }) => (typeof records === 'string' ? [] : [...records])))
    const all = deeds.some(({ records }) => typeof records === 'string')
    if (named.size > 0) {
      const missing = new Set(named)
      for await (const { record } of this.bare()) if (missing.delete(record.id) && missing.size === 0) break
      if (missing.size > 0) throw new ProblemError([...missing].map((id) => problem('record-unknown', { id })))
    }
    const queue = new PQueue({ concurrency: this.options.model.atOnce })
    let fault: Error | undefined
    for await (const subject of this.subjects((id) => all || named.has(id))) {
      if (this.options.signal?.aborted || fault !== undefined) break
      const { state, record } = subject.picked
      const own = deeds.filter(({ records }) => typeof records !== 'string' && records.has(record))
      const rest = deeds.filter(({ records }) => (records === 'open' ? state === 'open' : records === 'unkept' && state !== 'kept'))
      // What is said of a record by its name is not said of it once more as one of the rest.
      const meant = own.length > 0 ? own : rest
      // One after the other: what is asked anew is asked of what has just been kept.
      const run = async () => {
        for (const deed of meant) {
          const now = { ...subject, picked: this.picked(subject.record, subject.given) }
          const done = deed.does === 'again' ? await this.again(now, deed.part) : await this.settle(now, deed)
          if (done) onDone(done)
        }
      }
      if (meant.every(({ does }) => does !== 'again')) await run()
      else {
        await queue.onSizeLessThan(this.options.model.atOnce)
        queue.add(run).catch((thrown: unknown) => {
          fault ??= thrown instanceof Error ? thrown : new Error(String(thrown))
        })
      }
    }
    await queue.onIdle()
    if (fault !== undefined) throw fault
  }

  private async settle(
    { picked: { record, row, candidates, problems } }: Subject,
    deed: PickDeed & { does: 'keep' | 'reject' },
  ): Promise<PickDone> {
    const at = new Date().toISOString()
    const refused = (why: readonly Problem[]): PickDone => ({ record, does: deed.does, problems: why, candidate: undefined })
    if (deed.does === 'reject') {
      await this.log.add({ record, row, at, does: 'reject' })
      return { record, does: 'reject', problems: [], candidate: undefined }
    }
    const readable = candidates.filter((one) => one.answer !== undefined)
    const candidate = deed.answer === undefined ? readable.at(-1) : candidates.find((one) => one.number === deed.answer)
    if (!candidate) {
      const why =
        deed.answer === undefined ? problems : [problem('answer-unknown', { record, number: deed.answer, count: candidates.length })]
      return refused(why.length > 0 ? why : [problem('answer-unknown', { record, number: 1, count: candidates.length })])
    }
    if (!candidate.answer) return refused(candidate.problems)
    await this.log.add({ record, row, at, does: 'keep', answer: candidate.number })
    return { record, does: 'keep', problems: [], candidate }
  }

  /** Asks once more: for the whole answer, or for a part of the one that was kept, else of the last. */
  private async again({ record, headings, picked, given }: Subject, part: string | undefined): Promise<PickDone | undefined> {
    if (this.options.signal?.aborted) return undefined
    const { prepared, id, row } = record
    const refused = (problems: readonly Problem[]): PickDone => ({ record: id, does: 'again', problems, candidate: undefined })
    if (!prepared) return refused(record.problems)
    const draw = picked.candidates.length + 1
    const from =
      picked.candidates.find(({ number }) => number === picked.kept) ?? picked.candidates.findLast((one) => one.answer !== undefined)
    if (part !== undefined && !picked.parts.includes(part)) return refused([problem('part-unknown', { part, known: picked.parts })])
    if (part !== undefined && !from) return refused([problem('answer-unknown', { record: id, number: 1, count: 0 })])
    const questions = this.questions((key, request) => this.source.answer(key, request))
    const answered = await questions.ask(record, prepared, headings, {
      draw,
      ...(part !== undefined && { anew: { text: defined(from).text, part } }),
    })
    const { form, reply, text, problems } = answered
    if (text === undefined || problems.length > 0) return refused(problems)
    const whole =
      part === undefined
        ? text
        : defined(form).write(defined(form).exchange(defined(form).read(defined(from).text).kept, defined(reply).value, part))
    const madeUp = answered.given.some((one) => one.answer.madeUp)
    const line: PickLine = {
      record: id,
      row,
      at: new Date().toISOString(),
      does: 'add',
      text: whole,
      model: this.options.model.name,
      ...(part !== undefined && { part, of: defined(from).number }),
      ...(madeUp && { madeUp: true as const }),
    }
    await this.log.add(line)
    const candidate = candidateOf(draw, whole, given[0] ?? answered, madeUp, line)
    return { record: id, does: 'again', problems: candidate.problems, candidate }
  }

  private async *bare(): AsyncGenerator<{ record: BatchRecord; headings: readonly string[] }> {
    const { only } = this.file.asking
    const selection = new Selection({ take: this.batch.model.take, only, unique: true })
    for await (const { records, headings } of recordsOf(this.table)) {
      for (const record of records) {
        if (selection.full) return
        // Two records of one name cannot be told apart: the second is rejected for good.
        if (selection.of(record) === 'wanted') yield { record, headings }
      }
    }
    selection.end()
  }

  private async *subjects(wanted: (id: string) => boolean): AsyncGenerator<Subject> {
    const { answers = 1 } = this.file.asking
    // Only what the run was answered: nothing is asked to look at it.
    const questions = this.questions(async (key) => {
      const answer = await this.source.answered(key)
      if (!answer) throw new Unanswered()
      return { answer, kept: true }
    })
    for await (const { record, headings } of this.bare()) {
      if (!wanted(record.id)) continue
      const given: Answered[] = []
      for (let draw = 1; record.prepared && draw <= answers; draw++) {
        try {
          given.push(await questions.ask(record, record.prepared, headings, { draw }))
        } catch (fault) {
          if (!(fault instanceof Unanswered)) throw fault
        }
      }
      yield { record, headings, given, picked: this.picked(record, given) }
    }
  }

  private picked(record: BatchRecord, given: readonly Answered[]): PickedRecord {
    const candidates = given.flatMap((one, i) => {
      if (one.text === undefined) return []
      const madeUp = one.given.some(({ answer }) => answer.madeUp)
      return [
        { ...candidateOf(i + 1, one.text, one, madeUp), problems: one.problems, ...(one.problems.length > 0 && { answer: undefined }) },
      ]
    })
    let kept: number | undefined
    let rejected = false
    for (const line of this.log.of(record.id)) {
      if (line.does === 'keep') [kept, rejected] = [line.answer, false]
      else if (line.does === 'reject') [kept, rejected] = [undefined, true]
      else {
        if (given[0]) candidates.push(candidateOf(candidates.length + 1, line.text, given[0], line.madeUp === true, line))
        rejected = false
      }
    }
    const like = nearlyTheSame(candidates.map(({ text }) => text))
    return {
      record: record.id,
      row: record.row,
      candidates: candidates.map((one, i) => ({ ...one, like: like[i] })),
      state: kept !== undefined ? 'kept' : rejected ? 'rejected' : 'open',
      kept,
      parts: given[0]?.form?.parts ?? [],
      problems: record.prepared ? (given[0]?.problems ?? []) : record.problems,
    }
  }

  private questions(answering: ConstructorParameters<typeof Questions>[3]): Questions {
    return new Questions(this.batch, this.options.model, this.file.asking.again, answering, this.source.counter)
  }
}

/** A question that the run never got an answer to. */
class Unanswered extends Error {
  override readonly name: string = 'Unanswered'
}

/** A text as an answer to the same question. */
function candidateOf(
  number: number,
  text: string,
  { form, read }: Answered,
  madeUp: boolean,
  line?: PickLine & { does: 'add' },
): Candidate {
  const reply = read?.(text)
  const problems = reply?.problems ?? []
  return {
    number,
    text,
    answer: problems.length > 0 ? undefined : form ? form.columns(defined(reply).value) : { reply: text },
    problems,
    repaired: (reply?.repaired ?? []).map(({ message }) => message),
    doubts: (reply?.doubts ?? []).map(doubtText),
    madeUp,
    like: undefined,
    anew: line?.part === undefined ? undefined : { part: line.part, of: defined(line.of) },
  }
}
