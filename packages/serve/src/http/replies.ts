import { secrets } from '@dunelight/node/host'
import type { ServiceFault } from '../faults/fault.js'
import type { KeptResult } from './idempotency.js'

/** What every answer has. */
export const HEADERS = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'no-referrer',
  'cross-origin-resource-policy': 'same-origin',
} as const

/** Everything that leaves over HTTP goes through here, without secrets. */
export function reply(status: number, body: string, mediaType: string, headers: Readonly<Record<string, string>> = {}): Response {
  return new Response(secrets.redact(body), {
    status,
    headers: { ...HEADERS, 'content-type': mediaType, 'cache-control': 'no-store', ...headers },
  })
}

export function jsonReply(data: unknown, headers?: Readonly<Record<string, string>>): Response {
  return reply(200, JSON.stringify(data), 'application/json', headers)
}

/** A file that never changes, whatever it is: browsers must not guess. */
export function fileReply(bytes: Uint8Array): Response {
  const headers = { ...HEADERS, 'content-type': 'application/octet-stream', 'cache-control': 'max-age=31536000, immutable' }
  return new Response(new Uint8Array(bytes), { headers })
}

/** A result that was kept, or will be. */
export function keptReply({ status, body }: KeptResult): Response {
  return reply(status, body, status < 300 ? 'application/json' : PROBLEM)
}

const PROBLEM = 'application/problem+json'

/** A refusal, as RFC 9457 has it. */
export function problemReply(fault: ServiceFault): Response {
  return reply(fault.status, JSON.stringify(fault.details), PROBLEM, headersOf(fault))
}

function headersOf({ kind, options: { retryAfter } }: ServiceFault): Record<string, string> {
  return {
    ...(retryAfter !== undefined && { 'retry-after': String(retryAfter) }),
    ...((kind === 'token-missing' || kind === 'token-invalid') && { 'www-authenticate': 'Bearer realm="dunelight"' }),
  }
}

/** An event of a stream; its data is JSON on one line. */
export function eventText(event: string, json: string): string {
  return secrets.redact(`event: ${event}\ndata: ${json}\n\n`)
}

/** Headers of a stream of events. */
export const EVENT_HEADERS = {
  ...HEADERS,
  'content-type': 'text/event-stream',
  'cache-control': 'no-store',
  'x-accel-buffering': 'no',
} as const
