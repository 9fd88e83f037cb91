import type { Caller } from './callers/caller.js'
import { ownerNamed } from './callers/caller.js'
import { Callers } from './callers/callers.js'
import { readCallersFile } from './callers/callers-file.js'
import { refuseWithin } from './callers/add-caller.js'
import { Rates } from './callers/rates.js'
import { Admission } from './http/admission.js'
import { serviceApp, type HttpLimits } from './http/app.js'
import { Idempotency } from './http/idempotency.js'
import { PageSessions } from './http/page-sessions.js'
import type { ProtocolSessions } from './mcp/sessions.js'
import { Service, type ServiceOptions } from './service/service.js'
import { watch, type FSWatcher } from 'chokidar'

/** How a library is served over HTTP. */
export interface HttpServiceOptions extends ServiceOptions {
  /** The file of the callers, outside the library. It is read again when it changes. Default: the one caller of `token`. */
  readonly callers?: string
  /** A caller for everything, by the digest of its token: for one's own machine. */
  readonly owner?: { readonly id: string; readonly digest: string }
  /** Whether requests without a token have all rights. Only for a service that nothing but this machine can reach. Default: false. */
  readonly noToken?: boolean
  /** Host names that are served, without a port. Default: those of this machine. */
  readonly hosts?: readonly string[]
  /** Origins of pages that may call from elsewhere. Default: none. */
  readonly origins?: readonly string[]
  /** What a request may have. */
  readonly limits?: Partial<HttpLimits>
}

/** A library as a service. */
export interface HttpService {
  /** Answers a request: a web-standard handler, for any host. */
  readonly fetch: (request: Request, environment?: object) => Promise<Response>
  /** The service itself, whatever protocol it is called by. */
  readonly service: Service
  /** Completes what is in flight, and ends. */
  close(): Promise<void>
}

/** The host names of this machine. */
export const THIS_MACHINE = ['127.0.0.1', 'localhost', '::1']
const HOUR = 3_600_000
const LIMITS: HttpLimits = { body: 4 * 1024 * 1024 }

/**
 * Serves a library: its prompts over HTTP and the Model Context Protocol, with OpenAPI, a catalogue page, metrics and health.
 *
 * @param options - The library, the channel whose editions are served, who may call.
 * @returns A handler of requests, and what ends the service.
 * @throws ProblemError if the library, the approvers or the callers cannot be used.
 * @example
 * const { fetch, close } = await createService({ library: 'demo/marram-house', noToken: true, model: 'mock', state: scratch })
 * const response = await fetch(new Request('http://localhost/health'))
 * await response.json() // => { status: 'up' }
 * await close()
 */
export async function createService(options: HttpServiceOptions): Promise<HttpService> {
  const { callers: file, owner, noToken = false, hosts = THIS_MACHINE, origins = [], limits, channel, library } = options
  if (file !== undefined) await refuseWithin(file, library)
  let callers = new Callers(await readCallers(file, owner, channel))
  const service = await Service.open(options)
  const sessions = new PageSessions()
  const admission = new Admission({
    hosts,
    origins,
    callers: () => callers,
    withoutToken: noToken ? ownerNamed('anyone here', channel) : undefined,
    rates: new Rates(),
    sessions,
  })
  const idempotency = await Idempotency.open(service.state)
  const cleaning = setInterval(() => void idempotency.removeOld().catch(() => undefined), HOUR)
  cleaning.unref()
  let protocol: Promise<ProtocolSessions> | undefined
  // The protocol's own package is large: it is loaded with the first request.
  const protocolSessions = () => (protocol ??= import('./mcp/sessions.js').then(({ ProtocolSessions: Sessions }) => new Sessions(service)))
  const app = serviceApp({
    service,
    admission,
    sessions,
    idempotency,
    limits: { ...LIMITS, ...limits },
    title: service.title,
    protocol: async (request, caller, body) => (await protocolSessions()).handle(request, caller, body),
  })
  const watcher = file === undefined ? undefined : await watching(file)
  watcher?.on('all', () => {
    readCallers(file, owner, channel).then(
      (read) => {
        callers = new Callers(read)
        options.log?.({ level: 'info', message: `the callers changed: ${read.length}` })
      },
      (fault: unknown) =>
        options.log?.({ level: 'error', message: `the callers are as they were: ${fault instanceof Error ? fault.message : ''}` }),
    )
  })
  const close = async () => {
    clearInterval(cleaning)
    await watcher?.close()
    await (await protocol)?.close()
    await service.close()
  }
  let closed: Promise<void> | undefined
  return {
    fetch: async (request, environment) => app.fetch(request, environment),
    service,
    close: () => (closed ??= close()),
  }
}

async function watching(file: string): Promise<FSWatcher> {
  const watcher = watch(file, { ignoreInitial: true })
  await new Promise<void>((resolve) => watcher.once('ready', () => resolve()))
  return watcher
}

async function readCallers(file: string | undefined, owner: HttpServiceOptions['owner'], channel: string | undefined): Promise<Caller[]> {
  const own = owner ? [{ ...ownerNamed('owner', channel), id: owner.id, tokens: [owner.digest] }] : []
  return [...own, ...(file === undefined ? [] : await readCallersFile(file))]
}
