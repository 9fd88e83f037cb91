import { join } from 'node:path'
import type { Batch, ModelAnswer, ModelRequest, Problem } from 'dunelight'
import { tokenCounter } from '../tokens.js'
import { AnswerLog } from './answer-log.js'
import { Asker } from './asker.js'
import { keptAnswer } from './question.js'
import type { ReadyModel } from './ready-model.js'

/** Answers of all runs of a library, so that none is paid for twice. */
export const STORE = join('answers', 'kept.jsonl')

/** Whether tokens have to be counted before something is asked. */
function needsTokens({ rules }: ReadyModel, { library, model }: Batch): boolean {
  return (
    rules.aMinute.tokens !== undefined || model.tokens || (library?.shelf.library.screens ?? []).some(({ finds }) => finds === 'tokens')
  )
}

export interface AnswerSourceOptions {
  readonly batch: Batch
  readonly model: ReadyModel
  /** The library's folder, where answers are kept. */
  readonly folder: string
  /** The answers of one run, kept beside it. */
  readonly log?: string
  /** Takes nothing of what was answered before. */
  readonly fresh?: boolean
  readonly notice?: (found: Problem) => void
  readonly onAgain?: (why: string) => void
}

/** Answers by their question: what was answered in this run or before it, else what the model says now. */
export class AnswerSource {
  private readonly under = new Map<string, Promise<ModelAnswer>>()

  private constructor(
    private readonly model: ReadyModel,
    private readonly asker: Asker,
    private readonly log: AnswerLog | undefined,
    private readonly store: AnswerLog | undefined,
    private readonly fresh: boolean,
    /** Counts tokens, where anybody needs them. */
    readonly counter: ((text: string) => number) | undefined,
  ) {}

  static async open({ batch, model, folder, log, fresh = false, notice, onAgain }: AnswerSourceOptions): Promise<AnswerSource> {
    const own = log === undefined ? undefined : await AnswerLog.open(log, notice)
    // What a stand-in makes up is nobody else's answer.
    const store = model.madeUp ? undefined : await AnswerLog.open(join(folder, STORE), notice)
    const counter = needsTokens(model, batch) ? await tokenCounter(batch.prompt.tokenEncoding) : undefined
    return new AnswerSource(model, new Asker(model.name, model.model, model.rules, counter, onAgain), own, store, fresh, counter)
  }

  /** The answer to a question; the same question at the same time is asked once. */
  async answer(key: string, request: ModelRequest): Promise<{ readonly answer: ModelAnswer; readonly kept: boolean }> {
    const { log, store } = this
    const own = await log?.get(key)
    if (own) return { answer: own, kept: true }
    const under = this.under.get(key)
    if (under) return { answer: await under, kept: true }
    const before = this.fresh ? undefined : await store?.get(key)
    if (before) {
      await log?.add(before)
      return { answer: before, kept: true }
    }
    const asked = this.asker.ask(request)
    this.under.set(key, asked)
    try {
      const answer = await asked
      const line = keptAnswer(key, request, answer, this.model)
      await Promise.all([log?.add(line), store?.add(line)])
      return { answer, kept: false }
    } finally {
      this.under.delete(key)
    }
  }

  /** What was answered in this run, and nothing else. */
  async answered(key: string): Promise<ModelAnswer | undefined> {
    return this.log?.get(key)
  }

  async close(): Promise<void> {
    await this.log?.close()
    await this.store?.close()
  }
}
