import { defined, type Batch, type BatchRecord } from 'dunelight/host'
import type { AnswerSource } from '../ask/answer-source.js'
import { Questions } from '../ask/question.js'
import type { ReadyModel } from '../models/ready-model.js'
import { recorded, recordedAnswers } from './recorded.js'
import type { Subject } from './subject.js'

/** The records of a run of a prompt, each a subject of its own. */
export class PromptSubjects {
  private readonly asking: Questions
  private readonly known: Questions

  constructor(
    batch: Batch,
    model: ReadyModel,
    corrections: number,
    source: AnswerSource,
    private readonly candidates: number,
  ) {
    this.asking = new Questions(batch, model, corrections, source)
    this.known = new Questions(batch, model, corrections, recorded(source))
  }

  async of(record: BatchRecord, headings: readonly string[]): Promise<readonly Subject[]> {
    const { prepared, problems } = record
    const answers = prepared
      ? await recordedAnswers(this.candidates, (candidate) => this.known.ask(record, prepared, headings, { candidate }))
      : []
    return [
      {
        name: record.id,
        record,
        headings,
        answers,
        reader: answers[0],
        problems: prepared ? [] : problems,
        ask: (wanted) => this.asking.ask(record, defined(prepared), headings, wanted),
      },
    ]
  }
}
