import { setTimeout as pause } from 'node:timers/promises'
import { ModelFault, ProblemError, type Model, type ModelAnswer, type ModelRequest } from 'dunelight'
import { problem, type ModelDescription, defined } from 'dunelight/host'
import { RateLimiter } from 'limiter'
import PQueue from 'p-queue'
import pRetry from 'p-retry'
import type { CountTokens } from '../library/tokens.js'
import { Interrupted } from '../runs/step.js'

/** How a model is asked: how often in a minute, how long it may take, how often again. */
export type RequestLimits = Pick<ModelDescription, 'perMinute' | 'timeout' | 'attempts' | 'maxWait'>

/**
 * The limits of a model whose description gives none.
 *
 * @example
 * DEFAULT_REQUEST_LIMITS.attempts // => 5
 */
export const DEFAULT_REQUEST_LIMITS: RequestLimits = {
  perMinute: { requests: undefined, tokens: undefined },
  timeout: 120,
  attempts: 5,
  maxWait: 600,
}

/** Waits between two tries: twice as long each time, and some of it at random. */
const FIRST_WAIT = 500
const LONGEST_WAIT = 60_000

/** A timer of the platform that is longer runs out at once. */
const LONGEST_TIMER = 2_147_483_647

/** Consecutive failures after which the model counts as unreachable. */
const MAX_CONSECUTIVE_FAILURES = 20

/** The model is unreachable: the run would reject every further record. */
export class ModelUnreachable extends ProblemError {
  override readonly name: string = 'ModelGone'
}

/** The request was still queued when it was cancelled. */
export class RequestCancelled extends Interrupted {
  override readonly name: string = 'NotAsked'
}

/** Who hears of one request alone, and may give it up. */
type OwnListener = Pick<QueueListener, 'onText' | 'signal'>

interface AskingSetting extends OwnListener {
  readonly urgent?: boolean
  readonly keep?: (answer: ModelAnswer) => Promise<unknown>
}

/** Who hears of what a model does, and may end it. */
export interface QueueListener {
  readonly onRetry?: (why: string) => void
  /** Hears the text of an answer as far as it has come. */
  readonly onText?: (text: string) => void
  /** Gives up what is queued and what is in flight. */
  readonly signal?: AbortSignal
}

/** Asks one model, within its limits, again where that is worth a try. */
export class ModelQueue {
  private readonly requests: RateLimiter | undefined
  private readonly tokens: RateLimiter | undefined
  /** No request is sent before then: the service asked for it. */
  private notBefore = 0
  private failures = 0
  private cancelled = false
  /** Ends the waiting of questions that are not sent yet. */
  private readonly waiting = new Set<AbortController>()
  /** Rendering, reading and writing go on at the same time: a place is free again as soon as its answer is there, and stored. */
  private readonly queue: PQueue

  constructor(
    private readonly name: string,
    private readonly model: Model,
    private readonly rules: RequestLimits,
    concurrency: number,
    private readonly counter: () => Promise<CountTokens>,
    private readonly listener: QueueListener = {},
  ) {
    const { requests, tokens } = rules.perMinute
    this.queue = new PQueue({ concurrency })
    this.requests = requests === undefined ? undefined : new RateLimiter({ tokensPerInterval: requests, interval: 'minute' })
    this.cancelled = listener.signal?.aborted ?? false
    listener.signal?.addEventListener('abort', () => this.cancelQueued(), { once: true })
    this.tokens = tokens === undefined ? undefined : new RateLimiter({ tokensPerInterval: tokens, interval: 'minute' })
  }

  /**
   * `urgent` goes before what waits: others wait for its answer. The next question takes its place once `keep` is done: what is lost with the
   * process is at most what was under way.
   *
   * @throws ProblemError where there is no answer, NotAsked where it is no longer wanted.
   */
  async ask(request: ModelRequest, { urgent = false, keep, ...own }: AskingSetting = {}): Promise<ModelAnswer> {
    return this.queue.add(
      async () => {
        if (this.cancelled || own.signal?.aborted) throw new RequestCancelled()
        const answer = await this.try(request, own)
        await keep?.(answer)
        return answer
      },
      { priority: urgent ? 1 : 0 },
    )
  }

  /** Asks nothing any more: what waits, for a minute to pass or for another try, waits no longer. What is under way comes to its end. */
  cancelQueued(): void {
    this.cancelled = true
    for (const abortController of this.waiting) abortController.abort(new RequestCancelled())
  }

  private async try(request: ModelRequest, own: OwnListener): Promise<ModelAnswer> {
    const { attempts } = this.rules
    const waits = new AbortController()
    this.waiting.add(waits)
    const giveUp = () => waits.abort(new RequestCancelled())
    own.signal?.addEventListener('abort', giveUp, { once: true })
    let made = 0
    try {
      const answer = await pRetry(
        async () => {
          await this.turn(request, waits.signal)
          // Questions that were waiting in between have been told that no more is sent.
          waits.signal.throwIfAborted()
          this.waiting.delete(waits)
          made++
          try {
            return await this.once(request, own)
          } finally {
            this.waiting.add(waits)
          }
        },
        {
          retries: attempts - 1,
          minTimeout: FIRST_WAIT,
          maxTimeout: LONGEST_WAIT,
          randomize: true,
          signal: waits.signal,
          shouldRetry: ({ error }) => error instanceof ModelFault && error.options.retry && !this.cancelled,
          onFailedAttempt: ({ error: fault, retriesLeft }) => {
            if (!(fault instanceof ModelFault)) return
            const { retryAfter } = fault.options
            if (retryAfter !== undefined && retryAfter > this.rules.maxWait) throw this.tooLong(retryAfter)
            if (retryAfter !== undefined) this.notBefore = Math.max(this.notBefore, Date.now() + retryAfter * 1000)
            if (fault.options.retry && retriesLeft > 0 && !this.cancelled) this.listener.onRetry?.(fault.message)
          },
        },
      )
      this.failures = 0
      return answer
    } catch (fault) {
      if (!(fault instanceof ModelFault)) throw fault
      if (this.cancelled && fault.options.retry) throw new RequestCancelled()
      if (++this.failures >= MAX_CONSECUTIVE_FAILURES)
        throw new ModelUnreachable([problem('model-unreachable', { model: this.name, why: fault.message, count: this.failures })])
      throw new ProblemError([problem('model-without-answer', { model: this.name, why: fault.message, tries: made })])
    } finally {
      own.signal?.removeEventListener('abort', giveUp)
      this.waiting.delete(waits)
    }
  }

  /** The service asks for a longer pause than a run should wait. */
  private tooLong(seconds: number): ModelUnreachable {
    return new ModelUnreachable([
      problem('retry-after-too-long', { model: this.name, seconds: Math.ceil(seconds), longest: this.rules.maxWait }),
    ])
  }

  /** Waits until it may ask. */
  private async turn({ turns }: ModelRequest, signal: AbortSignal): Promise<void> {
    for (let left = this.notBefore - Date.now(); left > 0; left = this.notBefore - Date.now()) await wait(left, signal)
    if (this.requests) await taken(this.requests, 1, signal)
    if (!this.tokens) return
    const countTokens = await this.counter()
    const count = turns.reduce((sum, { text }) => sum + countTokens(text), 0)
    // One that is longer than a minute's share has a minute for itself.
    await taken(this.tokens, Math.min(count, defined(this.rules.perMinute.tokens)), signal)
  }

  private async once(request: ModelRequest, own: OwnListener): Promise<ModelAnswer> {
    const over = new AbortController()
    const onText = own.onText ?? this.listener.onText
    const given = [this.listener.signal, own.signal].filter((signal) => signal !== undefined)
    const signal = given.length > 0 ? AbortSignal.any([over.signal, ...given]) : over.signal
    const clock = setTimeout(() => over.abort(new Error('too long')), Math.min(this.rules.timeout * 1000, LONGEST_TIMER))
    try {
      return await this.model(request, { signal, ...(onText && { onText }) })
    } catch (fault) {
      if (given.some(({ aborted }) => aborted)) throw new RequestCancelled()
      if (fault instanceof ModelFault || fault instanceof ProblemError) throw fault
      if (over.signal.aborted) throw new ModelFault(`it took longer than ${this.rules.timeout} seconds`, { retry: true })
      throw fault
    } finally {
      clearTimeout(clock)
    }
  }
}

/** Until this many have been taken of what a minute gives. */
async function taken(limiter: RateLimiter, count: number, signal: AbortSignal): Promise<void> {
  while (!limiter.tryRemoveTokens(count)) await wait(Math.ceil(limiter.getWaitTime(count)) || 1, signal)
}

/** Waits this many milliseconds, unless no more is to be asked. */
async function wait(milliseconds: number, signal: AbortSignal): Promise<void> {
  await pause(Math.min(milliseconds, LONGEST_TIMER), undefined, { signal }).catch(() => {
    throw new RequestCancelled()
  })
}
