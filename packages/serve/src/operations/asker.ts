import type { ModelAnswer, ModelRequest, PreparedValues, Rendering, RenderOptions } from 'dunelight'
import { turnTokens } from 'dunelight/host'
import { readyModel, tokenCounter, type AuditLog, type ReadyModel } from '@dunelight/node'
import {
  cachedAnswer,
  loneBatch,
  loneRecord,
  ModelQueue,
  Questions,
  RequestCancelled,
  type Answered,
  type QueueListener,
} from '@dunelight/node/host'
import type { Caller } from '../callers/caller.js'
import type { Reservation, TokenBudgets } from '../callers/token-budget.js'
import type { Wording } from '../wordings/wording.js'
import type { AnswerCaches } from './answer-cache.js'

/** Tokens that are reserved for a reply where the settings of a prompt name no limit. */
const USUAL_REPLY = 1000
/** Characters of a token, for what is reserved. */
const CHARACTERS_OF_TOKEN = 3
/** How often a reply that cannot be used is asked for again. */
const CORRECTIONS = 2

export interface AskerOptions {
  readonly caches: AnswerCaches
  readonly budgets: TokenBudgets
  readonly audit: AuditLog | undefined
  /** The model of every question, in place of those that prompts name. */
  readonly model: string | ReadyModel | undefined
}

/** One question of a caller. */
export interface ServiceQuestion extends Pick<QueueListener, 'onText' | 'signal'> {
  readonly caller: Caller
  readonly wording: Wording
  readonly prepared: PreparedValues
  /** The same values, rendered. */
  readonly rendering: Rendering
  readonly options: RenderOptions
}

/** What came of it, and which model was asked. */
export interface ServiceAnswer {
  readonly answered: Answered
  readonly model: ReadyModel
}

/** Asks models for callers: the requests of all callers to a model share its limits. */
export class Asker {
  private readonly queues = new Map<string, ModelQueue>()
  private readonly under = new Map<string, Promise<ModelAnswer>>()

  constructor(private readonly options: AskerOptions) {}

  /** The model that a wording is asked of. */
  modelOf({ library, name }: Wording): ReadyModel {
    const { model } = this.options
    return typeof model === 'object' ? model : readyModel(library, name, model)
  }

  async ask({ caller, wording, prepared, rendering, options, onText, signal }: ServiceQuestion): Promise<ServiceAnswer> {
    const { audit } = this.options
    const { library, name } = wording
    const model = this.modelOf(wording)
    const batch = loneBatch(library, name, options)
    const answer = async (key: string, request: ModelRequest, urgent: boolean) => {
      const cached = model.isMock ? undefined : await this.options.caches.get(caller, key)
      if (cached) return { answer: cached, cached: true }
      const same = `${caller.shareCache ? 'shared' : caller.id} ${key}`
      const under = this.under.get(same)
      const asked = under && (await this.unlessGivenUp(under, signal))
      if (asked) return { answer: asked, cached: true }
      // No await before this: two equal questions must not both find nothing.
      const asking = this.askModel(caller, wording, model, key, request, { urgent, ...(onText && { onText }), ...(signal && { signal }) })
      this.under.set(same, asking)
      try {
        return { answer: await asking, cached: false }
      } finally {
        this.under.delete(same)
      }
    }
    const source = { answer, counter: () => tokenCounter(wording.prompt.tokenEncoding), audit: audit?.of({ caller: caller.name, library }) }
    const questions = new Questions(batch, model, CORRECTIONS, source)
    return { answered: await questions.ask(loneRecord('', prepared), prepared, [], { rendering }), model }
  }

  /** What waits for its turn is not asked any more. */
  cancelQueued(): void {
    for (const queue of this.queues.values()) queue.cancelQueued()
  }

  /** The answer to the same question of before; undefined if who asked it has given it up, and this caller has not. */
  private async unlessGivenUp(asking: Promise<ModelAnswer>, signal: AbortSignal | undefined): Promise<ModelAnswer | undefined> {
    try {
      return await asking
    } catch (fault) {
      if (fault instanceof RequestCancelled && !signal?.aborted) return undefined
      throw fault
    }
  }

  private async askModel(
    caller: Caller,
    wording: Wording,
    model: ReadyModel,
    key: string,
    request: ModelRequest,
    { urgent, ...listener }: Pick<QueueListener, 'onText' | 'signal'> & { readonly urgent: boolean },
  ): Promise<ModelAnswer> {
    const { budgets, caches } = this.options
    const sent = turnTokens(request.turns, (text) => Math.ceil(text.length / CHARACTERS_OF_TOKEN))
    const most = request.settings['max-tokens']
    const reserved = await budgets.reserve(caller, sent + (typeof most === 'number' ? most : USUAL_REPLY))
    const queue = this.queueOf(wording, model)
    const keep = async (answer: ModelAnswer) => {
      const { usage = { sent, received: Math.ceil(answer.text.length / CHARACTERS_OF_TOKEN) } } = answer
      if (!model.isMock) await caches.add(caller, cachedAnswer(key, request, answer, model))
      await reserved.settle(usage.sent + usage.received)
    }
    return settledOnFault(reserved, queue.ask(request, { urgent, keep, ...listener }))
  }

  private queueOf({ beside }: Wording, model: ReadyModel): ModelQueue {
    const key = `${beside} ${model.name}`
    const known = this.queues.get(key)
    if (known) return known
    const queue = new ModelQueue(model.name, model.model, model.limits, model.concurrency, () => tokenCounter())
    // Models that are described anew have a queue of their own; the earlier one ends with its last request.
    for (const other of this.queues.keys()) if (other.endsWith(` ${model.name}`)) this.queues.delete(other)
    this.queues.set(key, queue)
    return queue
  }
}

/** A request that a model refused takes nothing of the day's tokens. One that was given up may have been answered all the same. */
async function settledOnFault(reserved: Reservation, asking: Promise<ModelAnswer>): Promise<ModelAnswer> {
  try {
    return await asking
  } catch (fault) {
    if (!(fault instanceof RequestCancelled)) await reserved.settle(0)
    throw fault
  }
}
