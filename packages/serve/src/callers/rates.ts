import { RateLimiter } from 'limiter'
import { ServiceFault } from '../faults/fault.js'
import type { Caller } from './caller.js'

/** The requests of each caller in a minute. */
export class Rates {
  private readonly limiters = new Map<string, { readonly perMinute: number; readonly limiter: RateLimiter }>()

  /**
   * Counts a request.
   *
   * @throws ServiceFault if the caller has had its share of the minute.
   */
  take({ id, name, perMinute }: Caller): void {
    if (perMinute === undefined) return
    let known = this.limiters.get(id)
    if (known?.perMinute !== perMinute) {
      known = { perMinute, limiter: new RateLimiter({ tokensPerInterval: perMinute, interval: 'minute' }) }
      this.limiters.set(id, known)
    }
    if (known.limiter.tryRemoveTokens(1)) return
    const retryAfter = Math.max(1, Math.ceil(known.limiter.getWaitTime(1) / 1000))
    throw new ServiceFault('rate-limited', `${name} may send ${perMinute} requests a minute`, { retryAfter })
  }
}
