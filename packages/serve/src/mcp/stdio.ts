import type { Readable, Writable } from 'node:stream'
import { StdioServerTransport } from '@modelcontextprotocol/sdk/server/stdio.js'
import type { Caller } from '../callers/caller.js'
import type { Service } from '../service/service.js'
import { protocolServer } from './protocol.js'

/** Serves the Model Context Protocol over two streams, until the input ends or the signal aborts. Nothing else may write to the output. */
export async function serveStreams(
  service: Service,
  caller: Caller,
  input: Readable,
  output: Writable,
  signal?: AbortSignal,
): Promise<void> {
  const server = protocolServer(service, () => caller)
  const unheard = service.wordings.onChange(() => {
    server.sendPromptListChanged().catch(() => undefined)
    server.sendToolListChanged().catch(() => undefined)
  })
  await server.connect(new StdioServerTransport(input, output))
  await new Promise<void>((resolve) => {
    input.once('end', resolve)
    input.once('close', resolve)
    signal?.addEventListener('abort', () => resolve(), { once: true })
  })
  unheard()
  await server.close()
}
