import { Server } from '@modelcontextprotocol/sdk/server/index.js'
import type { RequestHandlerExtra } from '@modelcontextprotocol/sdk/shared/protocol.js'
import {
  CallToolRequestSchema,
  CompleteRequestSchema,
  ErrorCode,
  GetPromptRequestSchema,
  ListPromptsRequestSchema,
  ListToolsRequestSchema,
  type ServerNotification,
  type ServerRequest,
} from '@modelcontextprotocol/sdk/types.js'
import { secrets } from '@dunelight/node/host'
import type { Caller } from '../callers/caller.js'
import { faultOf, type ServiceFault } from '../faults/fault.js'
import type { Service } from '../service/service.js'
import type { Wording } from '../wordings/wording.js'
import { valuesIn } from './arguments.js'
import { completionsOf } from './completions.js'
import { promptOf, renderedMessages } from './prompts.js'
import { toolName, toolOf, toolResult } from './tools.js'

/** Prompts or tools of one page of a list. */
const PAGE = 50

type Extra = RequestHandlerExtra<ServerRequest, ServerNotification>

/**
 * A server of the Model Context Protocol for one caller: prompts, their completion, and tools. It is the protocol's low-level server, which leaves
 * lists, schemas and errors to us.
 */
export function protocolServer(service: Service, caller: () => Caller): Server {
  const server = new Server(
    { name: 'dunelight', version: '0.1.0' },
    { capabilities: { prompts: { listChanged: true }, tools: { listChanged: true }, completions: {} } },
  )
  const own = (): Wording[] => service.wordings.forCaller(caller())
  const tools = (): Wording[] => own().filter((wording) => wording.isTool && caller().operations.includes('ask'))

  server.setRequestHandler(ListPromptsRequestSchema, ({ params }) =>
    guarded(service, () => {
      const { items, nextCursor } = pageOf(own(), params?.cursor)
      return { prompts: items.map(promptOf), ...(nextCursor !== undefined && { nextCursor }) }
    }),
  )
  server.setRequestHandler(GetPromptRequestSchema, ({ params }) =>
    guarded(service, async () => {
      const wording = await service.wordings.find(caller(), params.name)
      const { prompt } = wording
      const values = valuesIn(params.arguments ?? {}, prompt.variables, prompt.locale)
      return renderedMessages(wording, await service.render(caller(), params.name, { values }))
    }),
  )
  server.setRequestHandler(CompleteRequestSchema, ({ params: { ref, argument } }) =>
    guarded(service, async () => {
      if (ref.type !== 'ref/prompt') throw new ProtocolFault(ErrorCode.InvalidParams, 'only the arguments of prompts are completed')
      const { prompt } = await service.wordings.find(caller(), ref.name)
      return { completion: completionsOf(prompt.variables, argument.name, argument.value) }
    }),
  )
  server.setRequestHandler(ListToolsRequestSchema, ({ params }) =>
    guarded(service, () => {
      const { items, nextCursor } = pageOf(tools(), params?.cursor)
      return { tools: items.map(toolOf), ...(nextCursor !== undefined && { nextCursor }) }
    }),
  )
  server.setRequestHandler(CallToolRequestSchema, ({ params }, extra) =>
    guarded(service, async () => {
      const wording = tools().find((item) => toolName(item.name) === params.name)
      if (!wording) throw new ProtocolFault(ErrorCode.InvalidParams, `unknown tool "${params.name}"`)
      return callTool(service, caller(), wording, params.arguments ?? {}, extra)
    }),
  )
  return server
}

/** A call of a tool: a question. What the model or the reply is to blame for is a result that says so, which the calling model can read. */
async function callTool(service: Service, caller: Caller, wording: Wording, values: Record<string, unknown>, extra: Extra) {
  try {
    const onPiece = progressOf(extra)
    const result = await service.ask(caller, wording.name, { values }, { signal: extra.signal, ...(onPiece && { onPiece }) })
    return toolResult(wording, result)
  } catch (thrown) {
    const fault = faultOf(thrown, (cause) => service.unexpected(cause))
    if (fault.kind !== 'reply-unusable' && fault.kind !== 'model-failed' && fault.kind !== 'screen-stopped') throw fault
    return { isError: true, content: [{ type: 'text' as const, text: textOf(fault) }] }
  }
}

/** Tells how much of a reply has come, if the client asked for it. */
function progressOf({ _meta, sendNotification }: Extra) {
  const progressToken = _meta?.progressToken
  if (progressToken === undefined) return undefined
  return ({ from, text }: { readonly from: number; readonly text: string }) => {
    const params = { progressToken, progress: from + text.length, message: `${from + text.length} characters` }
    sendNotification({ method: 'notifications/progress', params }).catch(() => undefined)
  }
}

/** An error of the protocol. The package's own class writes its code before the message, and so does the client. */
class ProtocolFault extends Error {
  override readonly name: string = 'ProtocolFault'

  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly data?: unknown,
  ) {
    super(message)
  }
}

/** Errors as the protocol has them, and results without secrets. */
async function guarded<T extends object>(service: Service, run: () => T | Promise<T>): Promise<T> {
  try {
    const result = await run()
    return secrets.size === 0 ? result : (JSON.parse(secrets.redact(JSON.stringify(result))) as T)
  } catch (thrown) {
    if (thrown instanceof ProtocolFault) throw thrown
    const fault = faultOf(thrown, (cause) => service.unexpected(cause))
    const isCallers = fault.status === 400 || fault.status === 404 || fault.status === 403
    throw new ProtocolFault(isCallers ? ErrorCode.InvalidParams : ErrorCode.InternalError, textOf(fault), fault.details)
  }
}

/** A refusal with the problems behind it, one sentence each. */
function textOf({ details: { detail, problems = [] } }: ServiceFault): string {
  return problems.length > 0
    ? problems.map(({ message, help }) => (help === undefined ? message : `${message} (${help})`)).join('; ')
    : detail
}

function pageOf<T extends { readonly name: string }>(
  all: readonly T[],
  cursor: string | undefined,
): { readonly items: readonly T[]; readonly nextCursor: string | undefined } {
  // The cursor is the last name that was listed: a list that changes meanwhile is continued where it was.
  const after = cursor === undefined ? undefined : Buffer.from(cursor, 'base64url').toString('utf8')
  const rest = after === undefined ? all : all.filter(({ name }) => name > after)
  const items = rest.slice(0, PAGE)
  const last = items.at(-1)
  return { items, nextCursor: rest.length > PAGE && last ? Buffer.from(last.name).toString('base64url') : undefined }
}
