import { ProblemError, type Assembly, type AssemblyEvent, type PartQuestion, type Settled } from 'dunelight'
import { askAssembly, answerOf, defined, type Batch, type BatchRecord } from 'dunelight/host'
import { loneBatch } from './lone-batch.js'
import { Questions, type Answered, type QuestionSource } from './question.js'
import type { ReviewLine, ReviewLog } from './review-log.js'
import type { ReadyModel } from '../models/ready-model.js'

/** An accepted answer of a part, and whether it was accepted for what the part is asked with now. */
export interface AcceptedPart extends Settled {
  readonly isOutOfDate: boolean
}

/** The name of a part of a record in reviews: `L-7:heading`. */
export function partName(record: string, key: string): string {
  return `${record}:${key}`
}

/** How the questions of one record are answered, and who hears of them. */
export interface PartListener {
  /** Answers in place of the model: what was recorded, or the model while answers are counted. */
  readonly answer?: (question: PartQuestion, candidate: number) => Promise<Answered>
  /** Hears of each question before it is asked, with the answer that a person accepted for it. */
  readonly onQuestion?: (question: PartQuestion, accepted: AcceptedPart | undefined) => void
}

/** Asks for the parts of an assembly's records: each prompt by its own questions, all of one model. */
export class PartQuestions {
  private readonly byPrompt = new Map<string, Questions>()
  readonly assembly: Assembly

  constructor(
    private readonly batch: Batch,
    private readonly model: ReadyModel,
    private readonly corrections: number,
    private readonly source: QuestionSource,
  ) {
    this.assembly = defined(batch.assembly)
  }

  /** One answer to one question. */
  answer(
    record: BatchRecord,
    { prompt, prepared, problems }: PartQuestion,
    candidate: number,
    retry?: { text: string; part: string },
  ): Promise<Answered> {
    if (!prepared) return Promise.resolve({ text: undefined, form: undefined, reply: undefined, problems, notes: [], answers: [] })
    return this.questionsFor(prompt.name).ask({ ...record, prepared }, prepared, [], { candidate, ...(retry && { retry }) })
  }

  /** Asks for a record, and tells what happens. What a person accepted is not asked for. */
  ask(record: BatchRecord, log: ReviewLog, listener: PartListener = {}): AsyncGenerator<AssemblyEvent<Answered>> {
    const answer = listener.answer ?? ((question, candidate) => this.answer(record, question, candidate))
    const settled = (question: PartQuestion) => {
      const accepted = this.accepted(record, question, log)
      listener.onQuestion?.(question, accepted)
      return accepted
    }
    const { seed } = this.batch.model
    const { locale } = this.batch
    return askAssembly(
      this.assembly,
      defined(record.prepared).values,
      { answer, settled },
      {
        record: record.id,
        ...(seed !== undefined && { seed }),
        ...(locale !== undefined && { locale }),
      },
    )
  }

  /** The answer that a person accepted for a question. */
  accepted(record: BatchRecord, question: PartQuestion, log: ReviewLog): AcceptedPart | undefined {
    const line = acceptedLine(log.of(partName(record.id, question.key)))
    if (line?.text === undefined) return undefined
    const rendering = this.render(record, question)
    if (!rendering) return undefined
    const reply = rendering.read(line.text)
    return { answer: answerOf(rendering.form, reply.value ?? reply.partial), isOutOfDate: line.inputs !== rendering.fingerprint }
  }

  /** A question as it is sent now; undefined where its values do not match its prompt. */
  render(record: BatchRecord, { prepared }: PartQuestion) {
    const { seed } = this.batch.model
    const { locale } = this.batch
    try {
      return prepared?.render({ record: record.id, ...(seed !== undefined && { seed }), ...(locale !== undefined && { locale }) })
    } catch (fault) {
      if (!(fault instanceof ProblemError)) throw fault
      return undefined
    }
  }

  private questionsFor(prompt: string): Questions {
    let questions = this.byPrompt.get(prompt)
    if (!questions) {
      const { library, locale, model } = this.batch
      const batch = loneBatch(defined(library), prompt, { seed: model.seed, locale, tokens: model.tokens })
      questions = new Questions(batch, this.model, this.corrections, this.source)
      this.byPrompt.set(prompt, questions)
    }
    return questions
  }
}

/** The last line that accepts, if nothing after it takes that back. */
export function acceptedLine(lines: readonly ReviewLine[]): (ReviewLine & { readonly does: 'accept' }) | undefined {
  let accepted: (ReviewLine & { readonly does: 'accept' }) | undefined
  for (const line of lines) {
    if (line.does === 'accept') accepted = line
    else if (line.does === 'discard') accepted = undefined
  }
  return accepted
}
