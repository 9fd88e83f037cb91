import { randomBytes } from 'node:crypto'
import { LRUCache } from 'lru-cache'

const COOKIE = 'dunelight'
const HOURS = 8
const MOST_SESSIONS = 10_000

/** Callers whose token was exchanged for a cookie, which the scripts of a page cannot read. They end with the process. */
export class PageSessions {
  private readonly callers = new LRUCache<string, string>({ max: MOST_SESSIONS, ttl: HOURS * 3_600_000 })

  /** Begins a session; returns the cookie that carries it. */
  begin(callerId: string, isSecure: boolean): string {
    const id = randomBytes(24).toString('base64url')
    this.callers.set(id, callerId)
    return cookie(id, HOURS * 3600, isSecure)
  }

  /** Ends the session of a cookie; returns one that the browser forgets. */
  end(header: string | null, isSecure: boolean): string {
    const id = idIn(header)
    if (id !== undefined) this.callers.delete(id)
    return cookie('', 0, isSecure)
  }

  /** The id of the caller that a cookie stands for. */
  callerIn(header: string | null): string | undefined {
    const id = idIn(header)
    return id === undefined ? undefined : this.callers.get(id)
  }
}

function cookie(value: string, seconds: number, isSecure: boolean): string {
  return `${COOKIE}=${value}; Path=/; Max-Age=${seconds}; HttpOnly; SameSite=Strict${isSecure ? '; Secure' : ''}`
}

function idIn(header: string | null): string | undefined {
  return /(?:^|;\s*)dunelight=([A-Za-z0-9_-]{32})(?:;|$)/.exec(header ?? '')?.[1]
}
