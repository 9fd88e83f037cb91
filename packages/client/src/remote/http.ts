import { createParser } from 'eventsource-parser'
import { Refusal, unreachable } from './refusal.js'
import type { RefusalDetails, ReplyPiece } from './wire.js'

export interface HttpOptions {
  readonly token?: string
  /** Sends requests. Default: the platform's. */
  readonly fetch?: typeof fetch
}

export interface PostOptions {
  readonly signal?: AbortSignal
  readonly idempotencyKey?: string
}

/** An answer that may be the one that is known already. */
export type Fetched = { readonly bytes: Uint8Array; readonly etag: string | undefined } | 'unchanged'

/** A request, its headers as plain data. */
type SentInit = Omit<RequestInit, 'headers'> & { readonly headers?: Readonly<Record<string, string>> }

/** Requests to a service. */
export class ServiceHttp {
  private readonly base: string

  constructor(
    url: string,
    private readonly options: HttpOptions,
  ) {
    this.base = url.replace(/\/+$/, '')
  }

  async get(path: string): Promise<unknown> {
    return jsonOf(await this.send(path, {}))
  }

  /** A file, unless it is still the one with this ETag. */
  async file(path: string, etag?: string): Promise<Fetched> {
    const response = await this.send(path, { headers: etag === undefined ? {} : { 'if-none-match': etag } })
    if (response.status === 304) return 'unchanged'
    if (!response.ok) throw await refusalOf(response)
    return { bytes: new Uint8Array(await response.arrayBuffer()), etag: response.headers.get('etag') ?? undefined }
  }

  async post(path: string, body: unknown, { signal, idempotencyKey }: PostOptions = {}): Promise<unknown> {
    return jsonOf(await this.send(path, posted(body, idempotencyKey, signal)))
  }

  /** A question whose answer comes in pieces. */
  async stream(
    path: string,
    body: unknown,
    onPiece: (piece: ReplyPiece) => void,
    { signal, idempotencyKey }: PostOptions = {},
  ): Promise<unknown> {
    const sent = posted(body, idempotencyKey, signal)
    const response = await this.send(path, { ...sent, headers: { ...sent.headers, accept: 'text/event-stream' } })
    if (!response.ok || !response.body) return jsonOf(response)
    let result: { readonly answer: unknown } | undefined
    let refusal: Refusal | undefined
    const parser = createParser({
      onEvent: ({ event, data }) => {
        if (event === 'text') onPiece(JSON.parse(data) as ReplyPiece)
        else if (event === 'answer') result = { answer: JSON.parse(data) as unknown }
        else if (event === 'problem') refusal = new Refusal(JSON.parse(data) as RefusalDetails)
      },
    })
    const reader = response.body.getReader()
    const decoder = new TextDecoder()
    try {
      for (let part = await reader.read(); !part.done; part = await reader.read()) parser.feed(decoder.decode(part.value, { stream: true }))
    } catch (fault) {
      throw unreachable(fault)
    }
    if (refusal) throw refusal
    if (!result) throw unreachable(new Error('the answer broke off'))
    return result.answer
  }

  private async send(path: string, init: SentInit): Promise<Response> {
    const { token, fetch: own = globalThis.fetch } = this.options
    const headers = { ...init.headers, ...(token !== undefined && { authorization: `Bearer ${token}` }) }
    try {
      return await own(`${this.base}${path}`, { ...init, headers })
    } catch (fault) {
      if (init.signal?.aborted) throw fault
      throw unreachable(fault)
    }
  }
}

/** The name of a prompt in an address. */
export function pathOf(name: string): string {
  return name.split('/').map(encodeURIComponent).join('/')
}

function posted(body: unknown, idempotencyKey: string | undefined, signal: AbortSignal | undefined) {
  const headers: Record<string, string> = { 'content-type': 'application/json' }
  if (idempotencyKey !== undefined) headers['idempotency-key'] = idempotencyKey
  return { method: 'POST', body: JSON.stringify(body), headers, ...(signal && { signal }) }
}

async function jsonOf(response: Response): Promise<unknown> {
  if (!response.ok) throw await refusalOf(response)
  return response.json()
}

async function refusalOf(response: Response): Promise<Refusal> {
  const retryAfter = Number(response.headers.get('retry-after') ?? Number.NaN)
  const text = await response.text().catch(() => '')
  const details = parsed(text) ?? {
    type: 'about:blank',
    title: response.statusText,
    status: response.status,
    detail: `status ${response.status}`,
  }
  return new Refusal(details, Number.isFinite(retryAfter) ? retryAfter : undefined)
}

function parsed(text: string): RefusalDetails | undefined {
  try {
    const data = JSON.parse(text) as Partial<RefusalDetails>
    return typeof data.status === 'number' && typeof data.detail === 'string' ? (data as RefusalDetails) : undefined
  } catch {
    return undefined
  }
}
