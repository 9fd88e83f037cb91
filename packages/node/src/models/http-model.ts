import { ProblemError, ModelFault, type Model, type ModelAnswer, type ModelCall, type ModelRequest } from 'dunelight'
import { problem, type Finish, type ModelDescription, type Usage } from 'dunelight/host'
import { createParser } from 'eventsource-parser'
import jsonpointer from 'jsonpointer'
import type { Dispatcher } from 'undici'
import { pipeline, type Transform } from 'node:stream'
import { createBrotliDecompress, createUnzip } from 'node:zlib'
import { secrets } from '../output/secrets.js'
import { reason } from '../output/reason.js'

/** The header by which a mock model identifies itself. */
export const MOCK_HEADER = 'x-mock'

/** An answer longer than this is no answer: a service that does not end is left. */
const MOST_BYTES = 16 * 1024 * 1024

/**
 * Makes a model that is asked over HTTP.
 *
 * @param description - The model, as described in `models.yaml`.
 * @param env - Where secrets are read from. Default: the environment.
 * @returns The model.
 * @throws ProblemError if the URL is invalid, or a header needs an environment variable that is not set.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const model = httpModel(library.artefacts.models.models.get('back-office'), { MARRAM_PASS: 'a-pass-of-the-demo' })
 * typeof model // => 'function'
 */
export function httpModel(description: ModelDescription, env: Readonly<Record<string, string | undefined>> = process.env): Model {
  const { url, stream } = description
  if (!URL.canParse(url))
    throw new ProblemError([
      problem('model-key-invalid', { key: 'at', expected: 'an address such as https://…', found: JSON.stringify(url) }),
    ])
  const accept = stream ? 'text/event-stream' : 'application/json'
  const headers = { accept, 'content-type': 'application/json', 'user-agent': 'dunelight', ...headersOf(description, env) }
  let client: ReturnType<typeof loadClient> | undefined
  return async (request, { signal, onText }) => {
    const { request: send } = await (client ??= loadClient())
    const body = requestBody(description, request)
    // The time limit is the caller's: its signal aborts the request.
    const answer = await send(url, { method: 'POST', headers, body, signal, headersTimeout: 0, bodyTimeout: 0 }).catch((fault: unknown) => {
      throw new ModelFault(whyNot(fault, signal), { retry: true, cause: fault })
    })
    if (answer.statusCode < 200 || answer.statusCode > 299) throw await refusal(answer)
    try {
      const modelAnswer = stream ? await pieces(answer, description, stream, onText) : wholeAnswer(await wholeText(answer), description)
      return MOCK_HEADER in answer.headers ? { ...modelAnswer, isMock: true } : modelAnswer
    } catch (fault) {
      if (fault instanceof ModelFault || fault instanceof ProblemError) throw fault
      throw new ModelFault(whyNot(fault, signal), { retry: true, cause: fault })
    }
  }
}

/** A value of the environment in a header. */
const ENVIRONMENT = /\{env\.([A-Za-z_][A-Za-z0-9_]*)\}/g

/** `{env.NAME}` is a value of the environment: secrets are nowhere else. */
function headersOf({ name, headers }: ModelDescription, env: Readonly<Record<string, string | undefined>>): Record<string, string> {
  const filled = (text: string) =>
    text.replace(ENVIRONMENT, (_, key: string) => {
      // A secret that was put there from a file has its line end with it.
      const value = env[key]?.trim()
      if (value === undefined || value === '') throw new ProblemError([problem('environment-missing', { name: key, model: name })])
      secrets.add(value)
      return value
    })
  return Object.fromEntries(Object.entries(headers).map(([key, text]) => [key.toLowerCase(), filled(text)]))
}

/** Has the values of the environment that models use redacted from now on, those that are set. */
export function noteSecrets(models: Iterable<ModelDescription>, env: Readonly<Record<string, string | undefined>> = process.env): void {
  for (const { headers } of models) {
    for (const text of Object.values(headers))
      for (const [, key = ''] of text.matchAll(ENVIRONMENT)) if (env[key] !== undefined) secrets.add(env[key].trim())
  }
}

/** What is sent: the envelope's form of a request, or the standard one. */
export function requestBody({ envelope }: ModelDescription, request: ModelRequest): string {
  return envelope ? request.enveloped(envelope.name) : standardBody(request)
}

/** The body where no envelope is named: the plain parts of a request. */
function standardBody({ prompt, record, turns, settings, fingerprint, form }: ModelRequest): string {
  return JSON.stringify({ record, prompt, fingerprint, turns, settings, ...(form && { output: form.name, schema: form.schema() }) })
}

/** Loaded with the first question: most commands ask nothing. */
const loadClient = async () => (await import('undici')).default

type Answer = Dispatcher.ResponseData

/** Too many requests and faults of the service pass; a request that it does not take is not made better by being made again. */
async function refusal(answer: Answer): Promise<ModelFault> {
  const { statusCode, headers } = answer
  const message = (await wholeText(answer).catch(() => '')).replace(/\s+/g, ' ').trim().slice(0, 120)
  // Requests go to the address in the library, with its secrets, and nowhere else.
  const elsewhere =
    statusCode > 299 && statusCode < 400 ? [`it sends on to ${secrets.redact(firstValue(headers.location) ?? 'another address')}`] : []
  const words = [...elsewhere, ...(message === '' ? [] : [message])].map((part) => `: ${part}`).join('')
  const retry = statusCode === 408 || statusCode === 425 || statusCode === 429 || statusCode >= 500
  return new ModelFault(`it answers with status ${statusCode}${words}`, {
    retry,
    retryAfter: secondsIn(firstValue(headers['retry-after'])),
  })
}

function firstValue(header: string | string[] | undefined): string | undefined {
  return Array.isArray(header) ? header[0] : header
}

/** `Retry-After`: seconds, or a date. */
function secondsIn(header: string | undefined): number | undefined {
  if (header === undefined) return undefined
  const seconds = /^\d+(\.\d+)?$/.test(header.trim()) ? Number(header) : (Date.parse(header) - Date.now()) / 1000
  return Number.isFinite(seconds) ? Math.max(0, seconds) : undefined
}

async function wholeText(answer: Answer): Promise<string> {
  let text = ''
  for await (const piece of textOf(answer)) text += piece
  // A service may send back what it was sent, before it is cut to a message or read as data.
  return secrets.redact(text)
}

/** No service is asked to compress its answers, and some do it all the same. (The client's own way of it is experimental, and warns.) */
const DECOMPRESSION: Readonly<Record<string, () => Transform>> = {
  gzip: createUnzip,
  'x-gzip': createUnzip,
  deflate: createUnzip,
  br: createBrotliDecompress,
}

function decompressed({ headers, body }: Answer): AsyncIterable<Uint8Array> {
  const decompress = DECOMPRESSION[firstValue(headers['content-encoding'])?.toLowerCase() ?? '']
  if (!decompress) return body
  // The reader hears of a fault.
  return pipeline(body, decompress(), () => undefined)
}

/** What comes, as text; one that does not end is left. */
async function* textOf(answer: Answer): AsyncGenerator<string> {
  const decoder = new TextDecoder()
  let size = 0
  for await (const bytes of decompressed(answer)) {
    size += bytes.length
    if (size > MOST_BYTES) throw new ModelFault(`its answer is longer than ${MOST_BYTES} bytes`, { retry: true })
    yield decoder.decode(bytes, { stream: true })
  }
  yield decoder.decode()
}

function wholeAnswer(text: string, { answer, finish, usage }: ModelDescription): ModelAnswer {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch {
    throw new ModelFault('the response is not valid JSON', { retry: true })
  }
  const content = pointed(data, answer)
  if (typeof content !== 'string') throw new ProblemError([problem('answer-not-found', { pointer: answer, keys: keysOf(data) })])
  return answerOf(content, finish && finishOf(pointed(data, finish.pointer), finish), usage && usageOf(data, usage))
}

/** The pieces of an answer that comes as server-sent events. */
async function pieces(
  answer: Answer,
  { finish: finishAt, usage: usageAt }: ModelDescription,
  stream: NonNullable<ModelDescription['stream']>,
  onText: ModelCall['onText'],
): Promise<ModelAnswer> {
  let text = ''
  let finish: Finish | undefined
  let usage: Usage | undefined
  let closed = false as boolean
  const parser = createParser({
    onEvent: ({ data }) => {
      closed ||= data === stream.last
      if (closed) return
      const event = parsed(data)
      const piece = pointed(event, stream.piece)
      if (typeof piece === 'string') text += piece
      if (finishAt) finish = finishOf(pointed(event, finishAt.pointer), finishAt) ?? finish
      if (usageAt) usage = usageOf(event, usageAt) ?? usage
    },
  })
  for await (const some of textOf(answer)) {
    parser.feed(some)
    onText?.(secrets.redactBeginning(text))
    if (closed) break
  }
  // Without a word that it is over, a stream that ends was cut.
  if (stream.last !== undefined && !closed) throw new ModelFault('its answer breaks off before it is over', { retry: true })
  return answerOf(text, finish, usage)
}

function parsed(data: string): unknown {
  try {
    return JSON.parse(data) as unknown
  } catch {
    throw new ModelFault('an event of the response is not valid JSON', { retry: true })
  }
}

function answerOf(text: string, finish: Finish | undefined, usage: Usage | undefined): ModelAnswer {
  // Escapes are read only now, and pieces joined.
  return { text: secrets.redact(text), finish: finish ?? 'done', ...(usage && { usage }) }
}

function pointed(data: unknown, pointer: string): unknown {
  return typeof data === 'object' && data !== null ? (jsonpointer.get(data, pointer) as unknown) : undefined
}

/** Undefined until the response gives a finish reason. */
function finishOf(word: unknown, { cutOff, refused }: NonNullable<ModelDescription['finish']>): Finish | undefined {
  if (typeof word !== 'string') return undefined
  return cutOff.includes(word) ? 'cut-off' : refused.includes(word) ? 'refused' : 'done'
}

function usageOf(data: unknown, { sent, received }: NonNullable<ModelDescription['usage']>): Usage | undefined {
  const [sentTokens, receivedTokens] = [pointed(data, sent), pointed(data, received)]
  return typeof sentTokens === 'number' && typeof receivedTokens === 'number' ? { sent: sentTokens, received: receivedTokens } : undefined
}

function keysOf(data: unknown): string[] {
  return typeof data === 'object' && data !== null
    ? Object.keys(data)
        .slice(0, 8)
        .map((key) => secrets.redact(key))
    : []
}

/** A platform's fault in our words. */
function whyNot(fault: unknown, signal: AbortSignal): string {
  if (signal.aborted) return 'it took too long'
  const code = partOf(fault, 'code')
  if (code === 'ECONNREFUSED') return 'connection refused'
  if (code === 'ENOTFOUND') return 'its address is unknown'
  if (code === 'ECONNRESET' || code === 'UND_ERR_SOCKET') return 'the connection was dropped'
  return secrets.redact(reason(fault))
}

/** The content of a platform's error: it may be of another realm than ours, as in a page's frame. */
function partOf(fault: unknown, key: string): unknown {
  return typeof fault === 'object' && fault !== null && key in fault ? (fault as Record<string, unknown>)[key] : undefined
}
