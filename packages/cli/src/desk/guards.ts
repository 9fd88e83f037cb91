import type { Context, MiddlewareHandler } from 'hono'
import { ProblemError, problemRecord } from 'dunelight'
import { PAGE_POLICY, secrets } from '@dunelight/node/host'

/** The header that carries the key. */
export const KEY_HEADER = 'x-desk-key'

export interface GuardOptions {
  /** Only a page that was opened from here has the key. */
  readonly key: string
  /** The host and port that it answers to, as a browser sends them: known once it listens. */
  readonly host: () => string
}

/** It answers to its own address alone, so that no other host name leads here. */
export function ownHost({ host }: GuardOptions): MiddlewareHandler {
  return async (c, next) => {
    if (c.req.header('host') !== host()) return c.text('this address is not served', 421)
    c.header('x-content-type-options', 'nosniff')
    c.header('referrer-policy', 'no-referrer')
    c.header('cross-origin-resource-policy', 'same-origin')
    c.header('content-security-policy', PAGE_POLICY)
    await next()
  }
}

/** Requests need the key; what asks or writes must come from the page itself too. */
export function ownPage({ key, host }: GuardOptions): MiddlewareHandler {
  return async (c, next) => {
    if (c.req.header(KEY_HEADER) !== key) return refuse(c, 'open the address that the command printed')
    if (c.req.method !== 'GET' && c.req.header('origin') !== `http://${host()}`) return refuse(c, 'only the page of the desk may do this')
    c.header('cache-control', 'no-store')
    await next()
  }
}

/** What leaves for the page has no secrets, whatever a service sent back. */
export const withoutSecrets: MiddlewareHandler = async (c, next) => {
  await next()
  if (secrets.size === 0 || c.res.headers.get('content-type')?.startsWith('application/json') !== true) return
  c.res = new Response(secrets.redact(await c.res.text()), c.res)
}

export function refuse(c: Context, message: string, status: 400 | 403 | 404 | 409 | 422 = 403): Response {
  return c.json({ problems: [{ message }] }, status)
}

/** Problems as they are told to the page. */
export function faultOf(fault: unknown): { readonly problems: readonly object[] } {
  if (fault instanceof ProblemError) return { problems: fault.problems.map(problemRecord) }
  return { problems: [{ message: secrets.redact(fault instanceof Error ? fault.message : String(fault)) }] }
}
