import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { setTimeout as pause } from 'node:timers/promises'
import type { Library } from 'dunelight'
import { reason } from '../output/reason.js'
import { mockReplies, mockUsage, type MockReply, type MockOptions } from 'dunelight/host'
import { MOCK_HEADER } from './http-model.js'
import { sha256 } from '../output/bytes.js'

/** A running mock server. */
export interface MockServer {
  /** Where it is asked. */
  readonly url: string
  /** How many requests it has answered, faults included. */
  readonly requests: () => number
  readonly close: () => Promise<void>
}

export interface MockServerOptions extends Omit<MockOptions, 'pause'> {
  readonly library: Library
  readonly port?: number
  readonly onRequest?: (record: string, way: string | undefined) => void
}

/** A request is a prompt with its values: nothing that a person could write is longer. */
const MOST_BYTES = 32 * 1024 * 1024
/** Seconds after which a busy mock model accepts another request. */
const RETRY_AFTER = 1
const PIECE = 40

/**
 * Serves the mock model on this machine only. It takes `{ prompt, record, values, turns, stream }` as JSON and answers with
 * `{ said, why, meter }`, or in pieces as server-sent events.
 *
 * @param options - The library, the port and the faults to imitate.
 * @returns The address, and a function that stops the server.
 * @throws Error if the port is in use.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const server = await serveMock({ library })
 * await server.close()
 * server.url.startsWith('http://127.0.0.1:') // => true
 */
export async function serveMock({ library, port = 0, delay = 0, onRequest, ...options }: MockServerOptions): Promise<MockServer> {
  const invent = mockReplies(options)
  let count = 0
  const server = createServer((request, response) => {
    answer(request, response).catch((fault: unknown) => {
      // A fault of its own is an answer too: a connection that breaks says nothing.
      if (response.headersSent) response.destroy()
      else send(response, 500, { why: reason(fault) })
    })
  })
  const answer = async (request: IncomingMessage, response: ServerResponse): Promise<void> => {
    response.setHeader(MOCK_HEADER, 'yes')
    if (request.method !== 'POST' || request.url !== '/ask') {
      send(response, 404, { why: 'POST /ask is all that there is' })
      return
    }
    const body = await bodyOf(request)
    if (typeof body !== 'object' || body === null) {
      send(response, 400, { why: 'the body is not valid JSON' })
      return
    }
    const wrong = wrongIn(body as Record<string, unknown>)
    if (wrong !== undefined) {
      send(response, 400, { why: wrong })
      return
    }
    count++
    const { prompt = '', record = '', values = {}, turns = [], stream = false } = body as RequestBody
    const reply = invent({
      prompt,
      record,
      values,
      fingerprint: sha256(JSON.stringify([prompt, turns])),
      form: formOf(library, prompt, record, values),
    })
    onRequest?.(record, reply.fault)
    await pause(reply.fault === 'slow' ? delay * 10 : delay)
    await respond(reply, turns, stream, request, response)
  }
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', resolve)
  })
  const address = server.address() as { port: number }
  return {
    url: `http://127.0.0.1:${address.port}/ask`,
    requests: () => count,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
}

interface RequestBody {
  readonly prompt?: string
  readonly record?: string
  readonly values?: Readonly<Record<string, unknown>>
  readonly turns?: readonly { readonly text?: string }[]
  readonly stream?: boolean
}

const KINDS: Readonly<Record<keyof RequestBody, readonly [words: string, fits: (value: unknown) => boolean]>> = {
  prompt: ['a text', (value) => typeof value === 'string'],
  record: ['a text', (value) => typeof value === 'string'],
  values: ['an object', (value) => typeof value === 'object' && value !== null && !Array.isArray(value)],
  turns: ['a list of turns', (value) => Array.isArray(value) && value.every((turn) => typeof turn === 'object' && turn !== null)],
  stream: ['true or false', (value) => typeof value === 'boolean'],
}

/** What is wrong with a request's body. Other keys are for other services. */
function wrongIn(body: Readonly<Record<string, unknown>>): string | undefined {
  if (Array.isArray(body)) return 'the body is a list, not an object'
  const [key] = Object.entries(KINDS).find(([name, [, fits]]) => body[name] !== undefined && !fits(body[name])) ?? []
  return key === undefined ? undefined : `"${key}" must be ${KINDS[key as keyof RequestBody][0]}`
}

/** The form that the prompt's answer has; undefined for a prompt that this library does not have. */
function formOf(library: Library, prompt: string, record: string, values: Readonly<Record<string, unknown>>) {
  try {
    const known = library.prompt(prompt)
    return known.outputs.length === 0 ? undefined : known.prepare(values).form({ record })
  } catch {
    return undefined
  }
}

async function respond(
  { text, finish, fault }: MockReply,
  turns: RequestBody['turns'],
  stream: boolean,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  if (fault === 'busy') {
    response.setHeader('retry-after', String(RETRY_AFTER))
    send(response, 429, { why: 'too many requests' })
    return
  }
  if (fault === 'broken') {
    send(response, 500, { why: 'internal error' })
    return
  }
  if (fault === 'dropped') {
    request.socket.destroy()
    return
  }
  const meter = mockUsage(turns ?? [], text)
  if (fault === 'endless') {
    await endless(response, stream)
    return
  }
  if (!stream) {
    send(response, 200, { said: text, why: finish, meter })
    return
  }
  response.writeHead(200, { 'content-type': 'text/event-stream' })
  for (let position = 0; position < text.length; position += PIECE)
    response.write(`data: ${JSON.stringify({ piece: text.slice(position, position + PIECE) })}\n\n`)
  response.end(`data: ${JSON.stringify({ why: finish, meter })}\n\ndata: over\n\n`)
}

/** Sends text until the connection closes. */
async function endless(response: ServerResponse, stream: boolean): Promise<void> {
  response.writeHead(200, { 'content-type': stream ? 'text/event-stream' : 'application/json' })
  if (!stream) response.write('{"said":"')
  while (!response.destroyed) {
    response.write(stream ? `data: ${JSON.stringify({ piece: 'and so on ' })}\n\n` : 'and so on ')
    await pause(20)
  }
}

function send(response: ServerResponse, status: number, body: object): void {
  response.writeHead(status, { 'content-type': 'application/json' })
  response.end(JSON.stringify(body))
}

async function bodyOf(request: IncomingMessage): Promise<unknown> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request) {
    size += (chunk as Buffer).length
    if (size > MOST_BYTES) return undefined
    chunks.push(chunk as Buffer)
  }
  try {
    return JSON.parse(Buffer.concat(chunks).toString('utf8')) as unknown
  } catch {
    return undefined
  }
}
