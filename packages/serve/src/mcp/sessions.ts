import { randomUUID } from 'node:crypto'
import type { Server } from '@modelcontextprotocol/sdk/server/index.js'
import { WebStandardStreamableHTTPServerTransport } from '@modelcontextprotocol/sdk/server/webStandardStreamableHttp.js'
import type { Caller } from '../callers/caller.js'
import { ServiceFault } from '../faults/fault.js'
import type { Service } from '../service/service.js'
import { protocolServer } from './protocol.js'

/** Sessions of one caller at the same time: the one that was used least recently ends. */
const MOST_SESSIONS = 50
/** Milliseconds after which an unused session ends. */
const IDLE = 3_600_000

interface Session {
  readonly server: Server
  readonly transport: WebStandardStreamableHTTPServerTransport
  caller: Caller
  used: number
}

/** The sessions of the Model Context Protocol over HTTP. A session belongs to the caller that began it. */
export class ProtocolSessions {
  private readonly sessions = new Map<string, Session>()
  private readonly unheard: () => void

  constructor(private readonly service: Service) {
    this.unheard = service.wordings.onChange(() => void this.tellChange())
  }

  async handle(request: Request, caller: Caller, body: string | undefined): Promise<Response> {
    const parsedBody = body === undefined ? undefined : parsed(body)
    const id = request.headers.get('mcp-session-id')
    const session = id === null ? await this.begin(caller) : this.known(id, caller)
    session.used = Date.now()
    return session.transport.handleRequest(request, parsedBody === undefined ? {} : { parsedBody })
  }

  async close(): Promise<void> {
    this.unheard()
    for (const { server } of this.sessions.values()) await server.close()
    this.sessions.clear()
  }

  private known(id: string, caller: Caller): Session {
    const session = this.sessions.get(id)
    if (session?.caller.id !== caller.id) throw new ServiceFault('not-found', 'there is no such session')
    // Rights may have changed since.
    session.caller = caller
    return session
  }

  private async begin(caller: Caller): Promise<Session> {
    await this.endOld(caller)
    const transport = new WebStandardStreamableHTTPServerTransport({
      sessionIdGenerator: () => randomUUID(),
      onsessioninitialized: (id) => void this.sessions.set(id, session),
      onsessionclosed: (id) => void this.sessions.delete(id),
    })
    const server = protocolServer(this.service, () => session.caller)
    const session: Session = { server, transport, caller, used: Date.now() }
    await server.connect(transport)
    return session
  }

  private async endOld({ id: of }: Caller): Promise<void> {
    const own = [...this.sessions].filter(([, { caller }]) => caller.id === of).sort(([, a], [, b]) => b.used - a.used)
    for (const [id, { server }] of own.filter(([, { used }], i) => i >= MOST_SESSIONS - 1 || Date.now() - used > IDLE)) {
      this.sessions.delete(id)
      await server.close()
    }
  }

  private async tellChange(): Promise<void> {
    for (const { server } of this.sessions.values()) {
      await server.sendPromptListChanged().catch(() => undefined)
      await server.sendToolListChanged().catch(() => undefined)
    }
  }
}

function parsed(body: string): unknown {
  try {
    return JSON.parse(body) as unknown
  } catch {
    throw new ServiceFault('request-invalid', 'the body is not valid JSON')
  }
}
