import type { RefusalDetails } from './wire.js'

/**
 * What a service refused, or why it could not be reached: `status` is 0 then.
 *
 * @example
 * const refusal = new Refusal({ type: 'urn:dunelight:rate-limited', title: 'Too many requests', status: 429, detail: 'wait' }, 4)
 * refusal.retryAfter // => 4
 */
export class Refusal extends Error {
  override readonly name: string = 'Refusal'

  constructor(
    readonly details: RefusalDetails,
    /** Seconds after which a retry can help. */
    readonly retryAfter?: number,
    options?: ErrorOptions,
  ) {
    const problems = (details.problems ?? []).map(({ message }) => message).join('; ')
    super(problems === '' ? details.detail : `${details.detail}: ${problems}`, options)
  }

  get status(): number {
    return this.details.status
  }
}

/** A service that did not answer. */
export function unreachable(cause: unknown): Refusal {
  const detail = `the service cannot be reached: ${cause instanceof Error ? cause.message : String(cause)}`
  return new Refusal({ type: 'about:blank', title: 'The service cannot be reached', status: 0, detail }, undefined, { cause })
}
