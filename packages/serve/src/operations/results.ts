import type { FinishedTurn, ModelAnswer, Problem, Turn } from 'dunelight'
import { usageOf, type Usage } from 'dunelight/host'
import type { Answered } from '@dunelight/node/host'
import { ServiceFault } from '../faults/fault.js'
import type { Wording } from '../wordings/wording.js'

/** A rendered prompt. */
export interface RenderResult {
  readonly turns: readonly Turn[]
  readonly fingerprint: string
  /** The number of the edition; absent for the working files. */
  readonly edition?: number
}

/** A rendered prompt with the origins of its text. */
export interface TraceResult extends RenderResult {
  readonly turns: readonly FinishedTurn[]
  readonly warnings: readonly string[]
}

/** A model's answer, read and checked. */
export interface AskResult {
  /** What the reply was read as. */
  readonly answer: unknown
  readonly text: string
  readonly edition?: number
  readonly fingerprint: string
  readonly model: string
  readonly usage?: Usage
  /** Repairs of the reply's form. */
  readonly repairs: readonly string[]
  /** Figures, dates and names of the answer that occur in no input. */
  readonly unsupported: readonly string[]
  /** What screens found that keeps nothing from being used. */
  readonly notes: readonly string[]
  /** Requests to the model beyond the first. */
  readonly corrections: number
  readonly cached: boolean
  /** Set for answers of the mock model. */
  readonly isMock?: true
}

/** A reply that was read. */
export interface ReadResult {
  readonly answer: unknown
  readonly edition?: number
  readonly repairs: readonly string[]
  /** Absent if no values were sent to compare the reply with. */
  readonly unsupported?: readonly string[]
}

export function editionIn({ edition }: Wording): { readonly edition?: number } {
  return edition ? { edition: edition.number } : {}
}

export function messagesOf(problems: readonly { readonly message: string }[]): string[] {
  return problems.map(({ message }) => message)
}

/**
 * An answer as it is sent.
 *
 * @throws ServiceFault if it cannot be used.
 */
export function askResult(wording: Wording, fingerprint: string, model: string, answered: Answered): AskResult {
  const { answers, text, reply, problems, notes } = answered
  if (problems.length > 0 || text === undefined || !reply) throw unusable(problems, answers.length > 0)
  const asked = answers.filter(({ cached }) => !cached).map(({ answer }) => answer)
  const usage = usageOf(asked)
  return {
    answer: reply.value,
    text,
    ...editionIn(wording),
    fingerprint,
    model,
    ...(usage && { usage }),
    repairs: messagesOf(reply.repairs),
    unsupported: messagesOf(reply.unsupported),
    notes: messagesOf(notes),
    corrections: answers.length - 1,
    cached: asked.length === 0,
    ...(answers.some(({ answer }: { readonly answer: ModelAnswer }) => answer.isMock) && { isMock: true as const }),
  }
}

/** Why there is no answer: what is wrong with the reply, or what keeps the request from being sent. */
function unusable(problems: readonly Problem[], isAnswered: boolean): ServiceFault {
  const codes = problems.map(({ code }) => code)
  if (codes.includes('model-without-answer')) return new ServiceFault('model-failed', messagesOf(problems).join('; '), { problems })
  if (codes.includes('screen-found') && !isAnswered) return new ServiceFault('screen-stopped', 'a screen refused the request', { problems })
  return new ServiceFault('reply-unusable', 'the reply of the model cannot be used', { problems })
}
