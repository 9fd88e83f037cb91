import { ServiceFault } from '../faults/fault.js'
import type { Caller } from './caller.js'
import { callerIdIn, digestOfToken, isOneOf } from './token.js'

/** Who may call: found by the token of a request. */
export class Callers {
  private readonly byId: ReadonlyMap<string, Caller>

  constructor(all: readonly Caller[]) {
    this.byId = new Map(all.map((caller) => [caller.id, caller]))
  }

  /**
   * The caller whose token it is.
   *
   * @throws ServiceFault if the token is not valid, or expired.
   */
  of(token: string): Caller {
    const id = callerIdIn(token) ?? ''
    const caller = this.byId.get(id)
    // An unknown id takes as long as a wrong token.
    const isValid = isOneOf(digestOfToken(token), caller?.tokens ?? [NO_DIGEST])
    if (!caller || !isValid) throw new ServiceFault('token-invalid', 'the token is not valid')
    return this.current(caller)
  }

  /** A caller that was admitted before, as it is now. */
  again(id: string): Caller | undefined {
    const caller = this.byId.get(id)
    return caller && this.current(caller)
  }

  private current(caller: Caller): Caller {
    const { expires } = caller
    if (expires !== undefined && new Date().toISOString().slice(0, 10) > expires)
      throw new ServiceFault('token-invalid', `the token expired after ${expires}`)
    return caller
  }
}

const NO_DIGEST = `sha256:${'0'.repeat(64)}`
