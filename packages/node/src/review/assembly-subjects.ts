import type { PartQuestion } from 'dunelight'
import { partFailed, type Batch, type BatchRecord, type OriginText } from 'dunelight/host'
import type { AnswerSource } from '../ask/answer-source.js'
import { PartQuestions, partName, type PartListener } from '../ask/part-questions.js'
import type { Answered } from '../ask/question.js'
import type { ReviewLog } from '../ask/review-log.js'
import type { ReadyModel } from '../models/ready-model.js'
import { recorded, recordedAnswers, Unanswered } from './recorded.js'
import type { Subject } from './subject.js'

/** A record of an assembly as far as its run was answered. */
export interface AssembledRecord {
  readonly subjects: readonly Subject[]
  /** Undefined while parts are open. */
  readonly document: OriginText | undefined
  readonly columns: Readonly<Record<string, unknown>> | undefined
  /** The keys of accepted answers whose inputs have changed since. */
  readonly outOfDate: readonly string[]
}

/** The records of a run of an assembly: each part is a subject of its own. */
export class AssemblySubjects {
  private readonly asking: PartQuestions
  private readonly known: PartQuestions

  constructor(
    batch: Batch,
    model: ReadyModel,
    corrections: number,
    source: AnswerSource,
    private readonly log: ReviewLog,
  ) {
    this.asking = new PartQuestions(batch, model, corrections, source)
    this.known = new PartQuestions(batch, model, corrections, recorded(source))
  }

  async of(record: BatchRecord, headings: readonly string[]): Promise<readonly Subject[]> {
    return (await this.assembled(record, headings)).subjects
  }

  /** All parts of a record that can be asked by now, and the document if all are answered. */
  async assembled(record: BatchRecord, headings: readonly string[]): Promise<AssembledRecord> {
    const nothing: AssembledRecord = { subjects: [], document: undefined, columns: undefined, outOfDate: [] }
    if (!record.prepared) return { ...nothing, subjects: [this.unasked(record, headings)] }
    const questions = new Map<string, PartQuestion>()
    const replies = new Map<string, Answered[]>()
    const taken = new Map<string, number>()
    const outOfDate: string[] = []
    const onQuestion: PartListener['onQuestion'] = (question, accepted) => {
      questions.set(question.key, question)
      if (accepted?.isOutOfDate) outOfDate.push(question.key)
    }
    let result: Pick<AssembledRecord, 'document' | 'columns'> = nothing
    const answer = (question: PartQuestion, candidate: number): Promise<Answered> =>
      this.known.answer(record, question, candidate).catch((fault: unknown) => {
        if (fault instanceof Unanswered) return MISSING
        throw fault
      })
    for await (const event of this.known.ask(record, this.log, { answer, onQuestion })) {
      if (event.kind === 'reply' && event.reply !== MISSING) replies.set(event.key, [...(replies.get(event.key) ?? []), event.reply])
      else if (event.kind === 'answered') taken.set(event.key, event.candidate)
      else if (event.kind === 'document') result = { document: event, columns: event.columns }
    }
    const subjects: Subject[] = []
    for (const [key, question] of questions) {
      const answers = replies.get(key) ?? (await this.earlier(record, question))
      subjects.push(this.subject(record, headings, question, answers, taken.get(key)))
    }
    return { ...result, subjects, outOfDate }
  }

  /** The answers to a question that is settled, and so was not asked again. */
  private earlier(record: BatchRecord, question: PartQuestion): Promise<Answered[]> {
    const { candidates, distinct } = question.part
    return recordedAnswers(distinct ? 2 * candidates : candidates, (candidate) => this.known.answer(record, question, candidate))
  }

  private subject(
    record: BatchRecord,
    headings: readonly string[],
    question: PartQuestion,
    answers: readonly Answered[],
    taken: number | undefined,
  ): Subject {
    const { key, prompt, part, problems } = question
    const rendering = this.known.render(record, question)
    const { choose } = part
    return {
      name: partName(record.id, key),
      record,
      headings,
      answers,
      reader: rendering && { form: rendering.form, read: (text) => rendering.read(text) },
      problems: problems.length > 0 ? [partFailed(key, problems)] : [],
      part: { record: record.id, key, prompt: prompt.name, chosenBy: typeof choose === 'string' ? choose : 'score' },
      taken,
      ...(rendering && { inputs: rendering.fingerprint }),
      ask: ({ candidate = 1, retry }) => this.asking.answer(record, question, candidate, retry),
    }
  }

  private unasked(record: BatchRecord, headings: readonly string[]): Subject {
    const { id, problems } = record
    const ask = () => Promise.resolve({ ...MISSING, problems })
    return { name: id, record, headings, answers: [], reader: undefined, problems, ask }
  }
}

/** A reply that the run does not have. */
const MISSING: Answered = { text: undefined, form: undefined, reply: undefined, problems: [], notes: [], answers: [] }
