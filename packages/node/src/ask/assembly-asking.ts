import type { Problem } from 'dunelight'
import { partFailed, problem, type BatchRecord } from 'dunelight/host'
import type { FinishedRow } from '../replies/finished-row.js'
import type { Outcome } from '../runs/outcome.js'
import type { RecordStep } from '../runs/step.js'
import { countQuestions } from './ask-counts.js'
import { PartQuestions, type PartListener } from './part-questions.js'
import type { Answered } from './question.js'
import { RecordAsking, remarksOf, type AskingSetting } from './record-asking.js'
import type { ReviewLog } from './review-log.js'

/** Asks for the parts of an assembly, for one record after the other. */
export class AssemblyAsking extends RecordAsking {
  private readonly parts: PartQuestions

  constructor(
    setting: AskingSetting,
    private readonly decisions: ReviewLog,
  ) {
    super(setting)
    const { batch, options, file, answers } = setting
    const { corrections } = file.asking
    this.parts = new PartQuestions(batch, options.model, corrections, answers)
  }

  readonly step: RecordStep = (record, headings) => this.guarded(record, () => this.ask(record, headings))

  private async ask(record: BatchRecord, headings: readonly string[]): Promise<Outcome> {
    const { counts, file, options } = this.setting
    const all: Answered[] = []
    const answer: PartListener['answer'] = async (question, candidate) => {
      const answered = await this.parts.answer(record, question, candidate)
      all.push(answered)
      return answered
    }
    const waiting: string[] = []
    const problems: Problem[] = []
    const outOfDate: string[] = []
    const onQuestion: PartListener['onQuestion'] = ({ key }, accepted) => {
      if (accepted?.isOutOfDate) outOfDate.push(key)
    }
    let columns: FinishedRow['answer'] | undefined
    for await (const event of this.parts.ask(record, this.decisions, { answer, onQuestion })) {
      if (event.kind === 'waiting') waiting.push(event.key)
      else if (event.kind === 'failed') problems.push(partFailed(event.key, event.problems))
      else if (event.kind === 'document') columns = event.columns
    }
    if (outOfDate.length > 0) problems.push(problem('part-out-of-date', { record: record.id, parts: outOfDate }))
    const beside = all.flatMap((answered) => this.beside(record, answered, {}))
    const heard = () => {
      for (const answered of all) {
        countQuestions(counts, answered)
        options.onAnswer?.(record, answered, 1)
      }
    }
    if (problems.length > 0) return { problems, beside, onTurn: heard }
    if (!columns) {
      const onTurn = () => {
        heard()
        counts.waiting++
      }
      return { waiting, beside, onTurn }
    }
    const usable = all.filter((answered) => answered.problems.length === 0)
    const finished: FinishedRow = {
      cells: record.cells,
      answer: columns,
      ...remarksOf(usable.map(({ reply }) => reply)),
      isMock: all.some(({ answers }) => answers.some(({ answer: { isMock } }) => isMock)),
      about: { record: record.id, number: record.row, model: file.asking.model },
    }
    return this.written(record, finished, headings, beside, heard)
  }
}
