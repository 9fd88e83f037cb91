import type { BatchRecord } from 'dunelight/host'
import type { FinishedRow } from '../replies/finished-row.js'
import type { Outcome } from '../runs/outcome.js'
import type { RecordStep } from '../runs/step.js'
import { countQuestions } from './ask-counts.js'
import { Questions, type Answered } from './question.js'
import { RecordAsking, remarksOf, type AskingSetting } from './record-asking.js'

/** Asks a prompt for one record after the other. */
export class PromptAsking extends RecordAsking {
  private readonly questions: Questions

  constructor(setting: AskingSetting) {
    super(setting)
    const { batch, options, file, answers } = setting
    const { corrections } = file.asking
    this.questions = new Questions(batch, options.model, corrections, answers)
  }

  readonly step: RecordStep = (record, headings) => {
    const { candidates = 1 } = this.setting.file.asking
    return Array.from({ length: candidates }, (_, i) => this.ask(record, headings, i + 1))
  }

  private ask(record: BatchRecord, headings: readonly string[], candidate: number): Promise<Outcome> {
    return this.guarded(record, async () => {
      const { prepared } = record
      if (!prepared) return { problems: record.problems }
      return this.outcome(record, headings, await this.questions.ask(record, prepared, headings, { candidate }), candidate)
    })
  }

  private async outcome(record: BatchRecord, headings: readonly string[], answered: Answered, candidate: number): Promise<Outcome> {
    const { problems, form, reply, text, answers } = answered
    const { asking } = this.setting.file
    const number = asking.candidates === undefined ? {} : { candidate }
    const beside = this.beside(record, answered, number)
    const heard = () => {
      countQuestions(this.setting.counts, answered)
      this.setting.options.onAnswer?.(record, answered, candidate)
    }
    if (problems.length > 0 || (form && !reply)) return { problems, reply: text, partial: reply?.partial, beside, onTurn: heard }
    const finished: FinishedRow = {
      cells: record.cells,
      answer: form && reply ? form.columns(reply.value) : { reply: text },
      ...remarksOf([reply]),
      isMock: answers.some(({ answer }) => answer.isMock),
      about: { record: record.id, number: record.row, model: asking.model, ...number },
    }
    return this.written(record, finished, headings, beside, heard)
  }
}
