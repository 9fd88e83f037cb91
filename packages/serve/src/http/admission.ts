import type { Caller } from '../callers/caller.js'
import type { Callers } from '../callers/callers.js'
import type { Rates } from '../callers/rates.js'
import { ServiceFault } from '../faults/fault.js'
import type { HeaderReader } from './headers.js'
import type { PageSessions } from './page-sessions.js'

/** Who may send requests, and from where. */
export interface AdmissionOptions {
  /** Host names that are served, without a port. */
  readonly hosts: readonly string[]
  /** Origins of pages that may call from elsewhere: `https://desk.sandmouth.example`. */
  readonly origins: readonly string[]
  readonly callers: () => Callers
  /** Who calls without a token; undefined if a token is needed. */
  readonly withoutToken: Caller | undefined
  readonly rates: Rates
  readonly sessions: PageSessions
}

/** Looks at requests before anything of them is read: host, origin, content type, token, limits, in this order. */
export class Admission {
  private readonly hosts: ReadonlySet<string>

  constructor(private readonly options: AdmissionOptions) {
    this.hosts = new Set(options.hosts.map((host) => host.toLowerCase()))
  }

  /**
   * Refuses a request from elsewhere: by a host name that leads here without the operator's knowledge, or by a page that is not ours.
   *
   * @throws ServiceFault
   */
  place(headers: HeaderReader, url: string): void {
    const host = headers.get('host') ?? new URL(url).host
    if (!this.hosts.has(nameOf(host))) throw new ServiceFault('host-refused', 'this host name is not served')
    const origin = headers.get('origin')
    if (origin === null || this.isListed(origin) || origin === `http://${host}` || origin === `https://${host}`) return
    throw new ServiceFault('origin-refused', 'pages of this origin may not call the service')
  }

  /** Whether pages of an origin may call from elsewhere. */
  isListed(origin: string): boolean {
    return this.options.origins.includes(origin)
  }

  /** Refuses a body that is not JSON: a page of another origin can send a form, or a text, without asking first. */
  json(headers: HeaderReader): void {
    const type = (headers.get('content-type') ?? '').split(';')[0]?.trim().toLowerCase()
    if (type !== 'application/json') throw new ServiceFault('content-type', 'the body must have the type application/json')
  }

  /**
   * The caller of a request, by its token or by the session of a page.
   *
   * @throws ServiceFault if there is none, or if it has sent too many.
   */
  caller(headers: HeaderReader): Caller {
    const caller = this.known(headers)
    this.options.rates.take(caller)
    return caller
  }

  /** The same without counting: for what is asked often, and tells little. */
  known(headers: HeaderReader): Caller {
    const { callers, withoutToken, sessions } = this.options
    const header = headers.get('authorization')
    if (header !== null) {
      const [, token] = /^Bearer ([\x21-\x7e]{1,200})$/i.exec(header) ?? []
      if (token === undefined) throw new ServiceFault('token-invalid', 'the header must be "Authorization: Bearer TOKEN"')
      return callers().of(token)
    }
    const id = sessions.callerIn(headers.get('cookie'))
    const caller = id === undefined ? undefined : callers().again(id)
    if (caller ?? withoutToken) return (caller ?? withoutToken) as Caller
    throw new ServiceFault('token-missing', 'send the header "Authorization: Bearer TOKEN"')
  }
}

/** The name in a Host header, without its port and without the brackets of an address. */
function nameOf(host: string): string {
  const [, bracketed, name] = /^(?:\[([\da-f:.]+)\]|([^:[\]/@\s]+?)\.?)(?::\d{1,5})?$/i.exec(host) ?? []
  return (bracketed ?? name ?? '').toLowerCase()
}
