import type { Form } from '../outputs/form.js'
import type { Turn } from '../render/render.js'

declare global {
  /** What every platform has, and the language itself does not: where the platform's own types are known, they are the whole of it. */
  interface AbortSignal {
    readonly aborted: boolean
  }
}

/** A finished prompt on its way to a model. */
export interface ModelRequest {
  readonly prompt: string
  /** The id of the record that it was rendered for. */
  readonly record: string
  readonly turns: readonly Turn[]
  readonly settings: Readonly<Record<string, unknown>>
  /** The form in which the answer is asked for; undefined where the prompt has no output. */
  readonly form: Form | undefined
  /** SHA-256 over the turns: the same for the same question. */
  readonly fingerprint: string
  readonly values: Readonly<Record<string, unknown>>
  /** Which of several answers to the same question it asks for, from 1. */
  readonly candidate: number
  /** The request as JSON, in the form that an envelope of the library gives it. */
  readonly enveloped: (envelope: string) => string
}

/** How an answer came to its end: as the model meant it, broken off by a limit, or with a word that it will not answer. */
export type Finish = 'done' | 'cut-off' | 'refused'

/** Tokens that the service counted. */
export interface Usage {
  readonly sent: number
  readonly received: number
}

/** What a model answered. */
export interface ModelAnswer {
  readonly text: string
  readonly finish: Finish
  readonly usage?: Usage
  /** Set for answers of the mock model, which are marked everywhere. */
  readonly isMock?: true
}

/** How one request is answered. */
export interface ModelCall {
  /** Aborts when the answer is no longer needed. */
  readonly signal: AbortSignal
  /** Hears the text of the answer as far as it has come, where it comes in pieces. */
  readonly onText?: (text: string) => void
}

/** A function that answers a request. */
export type Model = (request: ModelRequest, call: ModelCall) => Promise<ModelAnswer>

/**
 * Why a model did not answer, thrown by a `Model`.
 *
 * @param options.retry - Whether a retry can help.
 * @param options.retryAfter - Earliest time of the retry, in seconds from now.
 * @example
 * const fault = new ModelFault('the service is busy', { retry: true, retryAfter: 2 })
 * fault.options.retryAfter // => 2
 */
export class ModelFault extends Error {
  override readonly name: string = 'ModelFault'

  constructor(
    message: string,
    readonly options: {
      readonly retry: boolean
      /** Seconds to wait, from the service. */
      readonly retryAfter?: number | undefined
      /** The exception behind it. */
      readonly cause?: unknown
    },
  ) {
    super(message, { cause: options.cause })
  }
}
