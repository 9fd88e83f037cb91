import { ProblemError, type Assembly, type AssemblyEvent, type PartQuestion, type Settled } from 'dunelight'
import { askAssembly, answerOf, defined, type Batch, type BatchRecord } from 'dunelight/host'
import { loneBatch } from './lone-batch.js'
import { Questions, type Answered, type Answering } from './question.js'
import type { ReviewLine, ReviewLog } from './review-log.js'
import type { ReadyModel } from '../models/ready-model.js'
import type { CountTokens } from '../library/tokens.js'

/** An accepted answer of a part, and whether it was accepted for what the part is asked with now. */
export interface AcceptedPart extends Settled {
  readonly isOutOfDate: boolean
}

/** The name of a part of a record in reviews: `L-7:heading`. */
export function partName(record: string, key: string): string {
  return `${record}:${key}`
}

/** Asks for the parts of an assembly's records: each prompt by its own questions, all of one model. */
export class PartQuestions {
  private readonly byPrompt = new Map<string, Questions>()
  readonly assembly: Assembly

  constructor(
    private readonly batch: Batch,
    private readonly model: ReadyModel,
    private readonly corrections: number,
    private readonly answering: Answering,
    private readonly counter: () => Promise<CountTokens>,
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

  /** Asks for a record, and tells what happens. `answer` may count, or take answers from elsewhere. */
  ask(
    record: BatchRecord,
    log: ReviewLog,
    answer: (question: PartQuestion, candidate: number) => Promise<Answered> = (question, candidate) =>
      this.answer(record, question, candidate),
    /** Gets the keys of accepted answers whose inputs have changed since. */
    outOfDate: string[] = [],
    /** Hears of each question before it is asked. */
    known: (question: PartQuestion) => void = () => undefined,
  ): AsyncGenerator<AssemblyEvent<Answered>> {
    const settled = (question: PartQuestion) => {
      known(question)
      const accepted = this.accepted(record, question, log)
      if (accepted?.isOutOfDate) outOfDate.push(question.key)
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
      questions = new Questions(batch, this.model, this.corrections, this.answering, this.counter)
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
