import { bytesText, expiryOf } from '@dunelight/node/host'
import { Hono, type Context } from 'hono'
import type { Caller, Operation } from '../callers/caller.js'
import { faultOf, ServiceFault } from '../faults/fault.js'
import { promptRequest, readRequest } from '../operations/request.js'
import type { AskListener, Service } from '../service/service.js'
import type { WordingRequest } from '../wordings/wordings.js'
import type { Admission } from './admission.js'
import { bodyText } from './body.js'
import { headersOf } from './headers.js'
import { editionRoutes } from './edition-routes.js'
import { askStream } from './event-stream.js'
import { refusedResult, type Idempotency, type KeptResult } from './idempotency.js'
import { openApiOf } from './openapi.js'
import type { PageSessions } from './page-sessions.js'
import { Page } from './pages.js'
import { jsonReply, keptReply, problemReply, reply } from './replies.js'

export interface AppOptions {
  readonly service: Service
  readonly admission: Admission
  readonly sessions: PageSessions
  readonly idempotency: Idempotency
  readonly limits: HttpLimits
  /** The title of the library. */
  readonly title: string
  /** Answers requests of the Model Context Protocol. */
  readonly protocol: (request: Request, caller: Caller, body: string | undefined) => Promise<Response>
}

/** What a request over HTTP may have. */
export interface HttpLimits {
  /** Bytes of a body. */
  readonly body: number
}

/** The operations on a prompt that is named in the address. */
const POSTS: readonly Operation[] = ['render', 'ask', 'read']

/** The service over HTTP. Every request is looked at in one order: host, origin, content type, token, right, limits. */
export function serviceApp(options: AppOptions): Hono {
  const { service, admission, sessions, limits, title, protocol } = options
  const [catalogue, viewer] = [new Page('service-pages'), new Page('service-viewer')]
  const app = new Hono()

  app.use(async (c, next) => {
    const headers = headersOf(c)
    admission.place(headers, c.req.url)
    const origin = headers.get('origin') ?? undefined
    const isListed = origin !== undefined && admission.isListed(origin)
    if (isListed && c.req.method === 'OPTIONS') return preflight(origin)
    if (c.req.method === 'POST') admission.json(headers)
    await next()
    if (isListed) {
      c.res.headers.set('access-control-allow-origin', origin)
      c.res.headers.set('vary', 'origin')
    }
    return undefined
  })
  app.onError((thrown) => {
    const fault = faultOf(thrown, (cause) => service.unexpected(cause))
    service.metrics.turnedAway(fault)
    return problemReply(fault)
  })
  app.notFound(() => {
    throw new ServiceFault('not-found', 'there is nothing here')
  })

  app.get('/prompts', (c) => jsonReply({ prompts: service.list(admission.caller(headersOf(c)), searchIn(c)) }))
  app.get('/prompts/*', async (c) => jsonReply(await service.describe(admission.caller(headersOf(c)), nameIn(c), wordingIn(c))))
  for (const operation of POSTS) app.post(`/${operation}/*`, (c) => answer(c, operation, options))
  app.post('/trace/*', async (c) => {
    const caller = admission.caller(headersOf(c))
    return jsonReply(await service.trace(caller, nameIn(c), promptRequest(await bodyText(c, limits.body))))
  })
  app.route('/', editionRoutes(service, admission))
  app.get('/openapi.json', (c) =>
    jsonReply(openApiOf(service.wordings.forCaller(admission.caller(headersOf(c)), c.req.query('channel')), title)),
  )
  app.get('/health', (c) => health(c, service, admission))
  app.get('/metrics', async (c) => {
    const caller = admission.known(headersOf(c))
    if (!caller.operations.includes('metrics')) throw new ServiceFault('not-allowed', `${caller.name} may not read metrics`)
    const { text, mediaType } = await service.metrics.text()
    return reply(200, text, mediaType)
  })

  app.get('/session', (c) => {
    const { name, operations, channels, editions } = admission.known(headersOf(c))
    return jsonReply({
      caller: name,
      operations,
      channels,
      editions,
      title,
      serves: service.wordings.isWorking ? 'working files' : 'editions',
    })
  })
  app.post('/session', (c) => {
    const caller = admission.caller(headersOf(c))
    return jsonReply({ caller: caller.name }, { 'set-cookie': sessions.begin(caller.id, isSecure(c)) })
  })
  app.delete('/session', (c) => jsonReply({}, { 'set-cookie': sessions.end(headersOf(c).get('cookie'), isSecure(c)) }))

  app.all('/mcp', async (c) => {
    const caller = admission.caller(headersOf(c))
    return protocol(c.req.raw, caller, c.req.method === 'POST' ? await bodyText(c, limits.body) : undefined)
  })
  app.get('/reference', (c) => c.redirect('/reference/'))
  app.get('/reference/*', (c) => viewer.file(c.req.path.slice('/reference'.length)))
  app.get('*', (c) => catalogue.file(c.req.path))
  app.all('*', () => {
    throw new ServiceFault('method-wrong', 'this address does not take the method')
  })
  return app
}

/** Renders, asks or reads, once for each idempotency key. */
async function answer(c: Context, operation: Operation, { service, admission, idempotency, limits }: AppOptions): Promise<Response> {
  const headers = headersOf(c)
  const caller = admission.caller(headers)
  const name = nameIn(c)
  const body = await bodyText(c, limits.body)
  const key = headers.get('idempotency-key')
  const run = async (listener?: AskListener): Promise<KeptResult> => ({
    status: 200,
    body: await resultText(service, caller, operation, name, body, listener),
  })
  const once = (listener?: AskListener) =>
    key === null ? run(listener) : idempotency.once(caller, c.req.path, key, body, () => run(listener))
  if (operation !== 'ask' || !(headers.get('accept') ?? '').includes('text/event-stream')) return keptReply(await once())
  return askStream((listener) =>
    once(listener).catch((thrown: unknown) => refusedResult(faultOf(thrown, (cause) => service.unexpected(cause)))),
  )
}

/** A result as JSON. */
async function resultText(
  service: Service,
  caller: Caller,
  operation: Operation,
  name: string,
  body: string,
  listener?: AskListener,
): Promise<string> {
  if (operation === 'read') return JSON.stringify(await service.read(caller, name, readRequest(body)))
  const request = promptRequest(body)
  if (operation === 'ask') return JSON.stringify(await service.ask(caller, name, request, listener))
  return bytesText(await service.renderBytes(caller, name, request))
}

/** Up or down for everyone; the state of the last change for callers. */
function health(c: Context, service: Service, admission: Admission): Response {
  const { isUp, refusal } = service.health
  const { statement, refused, channels } = service.wordings.current
  const headers = headersOf(c)
  const hasToken = headers.get('authorization') !== null || headers.get('cookie') !== null
  const mayKnow = hasToken && admission.known(headers).operations.includes('metrics')
  const state = {
    serves: service.wordings.isWorking ? 'working files, for development' : 'editions',
    prompts: new Set([...channels.values()].flatMap((byName) => [...byName.keys()])).size,
    serial: statement?.serial,
    expires: statement?.expires,
    expired: expiryOf(statement) !== undefined,
    lastChange: refusal ? { taken: false, why: refusal.message } : { taken: true },
    refused: refused.map(({ name, channel, why }) => ({ prompt: name, channel, why: why.message })),
  }
  return reply(isUp ? 200 : 503, JSON.stringify({ status: isUp ? 'up' : 'down', ...(mayKnow && state) }), 'application/json')
}

function preflight(origin: string): Response {
  return new Response(null, {
    status: 204,
    headers: {
      'access-control-allow-origin': origin,
      'access-control-allow-methods': 'GET, POST',
      'access-control-allow-headers': 'authorization, content-type, idempotency-key, if-none-match',
      'access-control-expose-headers': 'etag, retry-after',
      'access-control-max-age': '600',
      vary: 'origin',
    },
  })
}

/** The name of a prompt in an address: all behind the first step. */
export function nameIn(c: Context): string {
  const { path } = c.req
  const start = path.indexOf('/', 1)
  const name = start < 0 ? '' : path.slice(start + 1)
  try {
    return name.includes('%') ? decodeURIComponent(name) : name
  } catch {
    throw new ServiceFault('request-invalid', 'the address is not valid')
  }
}

function searchIn(c: Context): { tag?: string; q?: string; channel?: string } {
  const [tag, q, channel] = [c.req.query('tag'), c.req.query('q'), c.req.query('channel')]
  return { ...(tag !== undefined && { tag }), ...(q !== undefined && { q }), ...(channel !== undefined && { channel }) }
}

function wordingIn(c: Context): WordingRequest {
  const [edition, channel] = [c.req.query('edition'), c.req.query('channel')]
  if (edition !== undefined && !/^[1-9]\d{0,8}$/.test(edition))
    throw new ServiceFault('request-invalid', '"edition" must be a whole number from 1')
  return { ...(edition !== undefined && { edition: Number(edition) }), ...(channel !== undefined && { channel }) }
}

/** Behind a proxy that speaks HTTPS, a cookie must not travel without it. */
function isSecure(c: Context): boolean {
  return c.req.url.startsWith('https:') || c.req.header('x-forwarded-proto') === 'https'
}
