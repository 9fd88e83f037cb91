import type { CheckedReply } from 'dunelight'
import { ScreenStop, type Batch, type BatchRecord } from 'dunelight/host'
import { ModelUnreachable } from '../models/model-queue.js'
import type { AnswerWriting } from '../replies/answer-writing.js'
import { unsupportedText, type FinishedRow } from '../replies/finished-row.js'
import type { Router } from '../replies/router.js'
import type { Beside, Outcome } from '../runs/outcome.js'
import { unprepared, type RecordStep } from '../runs/step.js'
import type { AnswerSource } from './answer-source.js'
import { countAnswered, type AskCounts } from './ask-counts.js'
import type { AskRun } from './ask-run.js'
import type { AskSetting } from './ask-task.js'
import type { Answered } from './question.js'

/** What screens found and let pass. */
export const NOTES_FILE = 'notes.jsonl'
/** What was sent, while the run goes on; compressed at its end. */
export const TURNS_FILE = 'turns.jsonl'

/** What asking for the records of a run needs. */
export interface AskingSetting {
  readonly batch: Batch
  readonly file: AskRun
  readonly answers: AnswerSource
  readonly options: AskSetting
  readonly counts: AskCounts
  readonly writing: AnswerWriting
  readonly router: Router
}

/** Asks for the records of a run: what is the same for prompts and assemblies. */
export abstract class RecordAsking {
  /** What ends the run, as soon as it is known. */
  fault: Error | undefined
  private readonly labelColumns: readonly string[]

  constructor(protected readonly setting: AskingSetting) {
    this.labelColumns = setting.batch.answerColumns.flatMap(({ name, labels }) => (labels ? [name] : []))
  }

  abstract readonly step: RecordStep

  /** Runs what asks for a record. A fault that ends the run ends the questions that wait, too. */
  protected async guarded(record: BatchRecord, ask: () => Promise<Outcome>): Promise<Outcome> {
    if (!record.prepared) return unprepared(record)
    try {
      return await ask()
    } catch (fault) {
      // Nothing more is asked, not even for the records before it that wait for their turn.
      if (fault instanceof ScreenStop || fault instanceof ModelUnreachable) {
        this.fault ??= fault
        this.setting.answers.cancelQueued()
      }
      throw fault
    }
  }

  /** What goes to other files of the run: what screens noted, and the turns that were sent. `about` tells which answer it was. */
  protected beside({ id, row }: BatchRecord, { notes, turns }: Answered, about: object): Beside[] {
    const lines = notes.map(({ screen, message, score }): Beside => [
      NOTES_FILE,
      `${JSON.stringify({ row, record: id, screen, found: message, score })}\n`,
    ])
    if (this.setting.batch.model.keepTurns && turns) lines.push([TURNS_FILE, `${JSON.stringify({ row, record: id, ...about, turns })}\n`])
    return lines
  }

  /** A finished row, with what it goes to beside the output. `heard` is called when its turn has come. */
  protected async written(
    record: BatchRecord,
    finished: FinishedRow,
    headings: readonly string[],
    beside: readonly Beside[],
    heard: () => void,
  ): Promise<Outcome> {
    const { writing, router, counts } = this.setting
    return {
      text: await writing.write(finished, headings),
      beside: [...beside, ...router.lines(record, finished, headings)],
      onTurn: () => {
        heard()
        countAnswered(counts, finished, this.labelColumns)
      },
    }
  }
}

/** What there is to check of replies, in words. */
export function remarksOf(replies: readonly (CheckedReply | undefined)[]): Pick<FinishedRow, 'repairs' | 'unsupported'> & {
  readonly similar: readonly string[]
} {
  return {
    repairs: replies.flatMap((reply) => (reply?.repairs ?? []).map(({ message }) => message)),
    unsupported: replies.flatMap((reply) => (reply?.unsupported ?? []).map(unsupportedText)),
    similar: replies.flatMap((reply) => (reply?.similar ?? []).map(({ message }) => message)),
  }
}
