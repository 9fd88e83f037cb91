import type { Problem } from 'dunelight'
import { problem, defined } from 'dunelight/host'
import type { ReviewLine, ReviewLog } from '../ask/review-log.js'
import { candidateOf, type Candidate } from './candidate.js'
import { nextNumber, type ReviewedRecord, type Subject } from './subject.js'

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
export type Done = Omit<ReviewResult, 'reviewed'>

/** Carries out what a person decides about a subject. Every decision is on the disk before it counts. */
export class Decisions {
  constructor(
    private readonly log: ReviewLog,
    /** The name of the model that is asked again. */
    private readonly model: string,
    private readonly signal: AbortSignal | undefined,
  ) {}

  carryOut(subject: Subject, before: ReviewedRecord, action: ReviewAction): Promise<Done | undefined> {
    if (action.does === 'regenerate') return this.regenerate(subject, before, action.part)
    return action.does === 'edit' ? this.edit(subject, before, action.text) : this.settle(subject, before, action)
  }

  private async edit(subject: Subject, { candidates, row }: ReviewedRecord, text: string): Promise<Done> {
    const { name: record, reader, answers } = subject
    const refused = (problems: readonly Problem[]): Done => ({ record, does: 'edit', problems, candidate: undefined })
    if (!reader?.read) return refused([problem('answer-unknown', { record, number: 1, count: 0 })])
    const at = new Date().toISOString()
    const line: ReviewLine = { record, row, at, does: 'add', text, model: '', byHand: true }
    const candidate = candidateOf(nextNumber(answers, candidates), text, reader, false, line)
    if (candidate.problems.length > 0) return refused(candidate.problems)
    await this.log.add(line)
    await this.accept(subject, candidate)
    return { record, does: 'edit', problems: [], candidate }
  }

  private async settle(
    subject: Subject,
    { candidates, row, problems, taken }: ReviewedRecord,
    action: ReviewAction & { does: 'accept' | 'discard' },
  ): Promise<Done> {
    const { name: record } = subject
    const refused = (why: readonly Problem[]): Done => ({ record, does: action.does, problems: why, candidate: undefined })
    if (action.does === 'discard') {
      await this.log.add({ record, row, at: new Date().toISOString(), does: 'discard' })
      return { record, does: 'discard', problems: [], candidate: undefined }
    }
    const readable = candidates.filter((candidate) => candidate.answer !== undefined)
    const wanted = action.answer ?? taken
    const candidate = wanted === undefined ? readable.at(-1) : candidates.find(({ number }) => number === wanted)
    if (!candidate) {
      const why =
        action.answer === undefined ? problems : [problem('answer-unknown', { record, number: action.answer, count: candidates.length })]
      return refused(why.length > 0 ? why : [problem('answer-unknown', { record, number: 1, count: candidates.length })])
    }
    if (!candidate.answer) return refused(candidate.problems)
    await this.accept(subject, candidate)
    return { record, does: 'accept', problems: [], candidate }
  }

  private accept({ name, record, inputs }: Subject, { number, text }: Candidate): Promise<void> {
    const at = new Date().toISOString()
    return this.log.add({
      record: name,
      row: record.row,
      at,
      does: 'accept',
      answer: number,
      ...(inputs !== undefined && { text, inputs }),
    })
  }

  /** Asks once more: for the whole answer, or for a part of the one that was accepted, else of the last. */
  private async regenerate(subject: Subject, before: ReviewedRecord, part: string | undefined): Promise<Done | undefined> {
    if (this.signal?.aborted) return undefined
    const { name: record, answers, problems: unfit, reader } = subject
    const refused = (problems: readonly Problem[]): Done => ({ record, does: 'regenerate', problems, candidate: undefined })
    if (unfit.length > 0) return refused(unfit)
    const number = nextNumber(answers, before.candidates)
    const from =
      before.candidates.find((candidate) => candidate.number === before.accepted) ??
      before.candidates.findLast((candidate) => candidate.answer !== undefined)
    if (part !== undefined && !before.parts.includes(part)) return refused([problem('part-unknown', { part, known: before.parts })])
    if (part !== undefined && !from) return refused([problem('answer-unknown', { record, number: 1, count: 0 })])
    const answered = await subject.ask({
      candidate: number,
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
      record,
      row: before.row,
      at: new Date().toISOString(),
      does: 'add',
      text: whole,
      model: this.model,
      ...(part !== undefined && { part, of: defined(from).number }),
      ...(isMock && { isMock: true as const }),
    }
    await this.log.add(line)
    const candidate = candidateOf(number, whole, reader ?? answered, isMock, line)
    return { record, does: 'regenerate', problems: candidate.problems, candidate }
  }
}
