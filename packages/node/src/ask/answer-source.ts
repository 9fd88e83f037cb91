import { join } from 'node:path'
import { setTimeout } from 'node:timers/promises'
import type { ModelAnswer, ModelRequest, Problem } from 'dunelight'
import type { Batch } from 'dunelight/host'
import { lazyTokenCounter, type CountTokens } from '../library/tokens.js'
import { AnswerLog } from './answer-log.js'
import { QuestionLeases } from './question-leases.js'
import { ModelQueue, type QueueListener } from '../models/model-queue.js'
import { AuditLog } from '../audit/audit-log.js'
import { cachedAnswer, type Answering } from './question.js'
import type { ReadyModel } from '../models/ready-model.js'

/** Answers of all runs of a library, so that none is paid for twice. */
export const STORE = join('answers', 'cache.jsonl')
const LEASES = join('answers', 'asking')

/** Milliseconds between two looks at the lease of another process. */
const LEASE_PAUSE = 50

export interface AnswerSourceOptions extends QueueListener {
  readonly batch: Batch
  readonly model: ReadyModel
  /** The library's folder, where answers are cached. */
  readonly folder: string
  /** The answers of one run, in its folder. */
  readonly log?: string
  /** Takes nothing of what was answered before. */
  readonly fresh?: boolean
  /** Requests in flight at a time; default: the model's `concurrency`. */
  readonly concurrency?: number
  readonly notice?: (problem: Problem) => void
  /** Who asks, for the audit. Default: the user of the process. */
  readonly caller?: string
}

export interface SourcedAnswer {
  readonly answer: ModelAnswer
  readonly cached: boolean
}

/** Answers by their question: from the cache, else a new one from the model. */
export class AnswerSource {
  private readonly under = new Map<string, Promise<SourcedAnswer>>()
  private isCancelled = false

  private constructor(
    private readonly model: ReadyModel,
    private readonly asker: ModelQueue,
    private readonly log: AnswerLog | undefined,
    private readonly store: AnswerLog | undefined,
    private readonly leases: QuestionLeases | undefined,
    private readonly fresh: boolean,
    /** Counts tokens, for callers that need them. */
    readonly counter: () => Promise<CountTokens>,
    /** The audit of the library, if it has one. */
    readonly audit: AuditLog | undefined,
  ) {}

  static async open({
    batch,
    model,
    folder,
    log,
    fresh = false,
    concurrency = model.concurrency,
    notice,
    caller,
    ...listener
  }: AnswerSourceOptions): Promise<AnswerSource> {
    const own = log === undefined ? undefined : await AnswerLog.open(log, notice)
    // Answers of a mock model are not shared with other models.
    const store = model.isMock ? undefined : await AnswerLog.open(join(folder, STORE), notice)
    const counter = lazyTokenCounter(batch.prompt.tokenEncoding)
    return new AnswerSource(
      model,
      new ModelQueue(model.name, model.model, model.limits, concurrency, counter, listener),
      own,
      store,
      store && !fresh ? await QuestionLeases.open(join(folder, LEASES)) : undefined,
      fresh,
      counter,
      batch.library && AuditLog.of(folder, batch.library, { ...(caller !== undefined && { caller }), ...(notice && { notice }) }),
    )
  }

  /** The answer to a question; the same question at the same time is asked once, by all processes that use the library's cache. */
  readonly answer: Answering = async (key, request, urgent) => {
    // No await before this: two equal questions must not both find nothing.
    const under = this.under.get(key)
    if (under) return { answer: (await under).answer, cached: true }
    const answered = this.find(key, request, urgent)
    this.under.set(key, answered)
    try {
      return await answered
    } finally {
      this.under.delete(key)
    }
  }

  private async find(key: string, request: ModelRequest, urgent: boolean): Promise<SourcedAnswer> {
    const own = await this.log?.get(key)
    if (own) return { answer: own, cached: true }
    const asked = async () => ({ answer: await this.askAndKeep(key, request, urgent), cached: false })
    const { store, leases } = this
    if (!store || this.fresh) return asked()
    const cached = async () => {
      const before = await store.get(key)
      if (before) await this.log?.add(before)
      return before && { answer: before, cached: true }
    }
    const before = await cached()
    if (before || !leases) return before ?? asked()
    // Another process that asks this has a lease; when it is gone, the answer is in the cache, or the question is ours.
    while (!(await leases.take(key)) && !this.isCancelled) await setTimeout(LEASE_PAUSE)
    try {
      await store.refresh()
      return (await cached()) ?? (await asked())
    } finally {
      await leases.release(key)
    }
  }

  private askAndKeep(key: string, request: ModelRequest, urgent: boolean): Promise<ModelAnswer> {
    // One after the other: what a run has is in the library's cache, too, whenever the process ends.
    const keep = async (answer: ModelAnswer) => {
      const line = cachedAnswer(key, request, answer, this.model)
      await this.store?.add(line)
      await this.log?.add(line)
    }
    return this.asker.ask(request, { urgent, keep })
  }

  /** Asks nothing any more: what waits for its turn is refused as not asked. */
  cancelQueued(): void {
    this.isCancelled = true
    this.asker.cancelQueued()
  }

  /** Waits for the requests in flight and stores their answers: they are paid for. */
  async settled(): Promise<void> {
    await Promise.allSettled(this.under.values())
  }

  /** What was answered in this run, and nothing else. */
  async answered(key: string): Promise<ModelAnswer | undefined> {
    return this.log?.get(key)
  }

  async close(): Promise<void> {
    await this.log?.close()
    await this.store?.close()
    await this.leases?.close()
    await this.audit?.close()
  }
}
