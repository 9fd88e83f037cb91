import { problem, ProblemError, ModelFault, type Finish, type Model, type ModelAnswer, type ModelDescription, type Usage } from 'dunelight'
import { EventSourceParserStream } from 'eventsource-parser/stream'
import jsonpointer from 'jsonpointer'
import { reason } from '../reason.js'

/** The header by which a stand-in says what it is. */
export const MADE_UP = 'x-made-up'

/** An answer longer than this is no answer: a service that does not end is left. */
const MOST_BYTES = 16 * 1024 * 1024

/**
 * A model that is asked over HTTP as its description says.
 *
 * @throws ProblemError where a header needs what the environment does not hold.
 */
export function httpModel(description: ModelDescription, env: Readonly<Record<string, string | undefined>> = process.env): Model {
  const { at, stream } = description
  const headers = { 'content-type': 'application/json', ...headersOf(description, env) }
  return async (request, { signal }) => {
    const body = description.envelope ? request.enveloped(description.envelope.name) : standardBody(request)
    const answer = await fetch(at, { method: 'POST', headers, body, signal }).catch((fault: unknown) => {
      throw new ModelFault(whyNot(fault, signal), { again: true })
    })
    if (!answer.ok) throw await refusal(answer)
    try {
      const found = stream ? await pieces(answer, description, stream) : wholeAnswer(await boundedText(answer), description)
      return answer.headers.has(MADE_UP) ? { ...found, madeUp: true } : found
    } catch (fault) {
      if (fault instanceof ModelFault || fault instanceof ProblemError) throw fault
      throw new ModelFault(whyNot(fault, signal), { again: true })
    }
  }
}

/** `{env.NAME}` is what the environment holds: secrets stand nowhere else. */
function headersOf({ name, headers }: ModelDescription, env: Readonly<Record<string, string | undefined>>): Record<string, string> {
  const filled = (text: string) =>
    text.replace(/\{env\.([A-Za-z_][A-Za-z0-9_]*)\}/g, (_, key: string) => {
      const value = env[key]
      if (value === undefined || value === '') throw new ProblemError([problem('environment-missing', { name: key, model: name })])
      return value
    })
  return Object.fromEntries(Object.entries(headers).map(([key, text]) => [key, filled(text)]))
}

/** The body where no envelope is named: the plain parts of a request. */
function standardBody({ prompt, record, turns, settings, fingerprint, form }: Parameters<Model>[0]): string {
  return JSON.stringify({ record, prompt, fingerprint, turns, settings, ...(form && { output: form.name, schema: form.schema() }) })
}

/** Too many requests and faults of the service pass; a request that it does not take is not made better by being made again. */
async function refusal(answer: Response): Promise<ModelFault> {
  const { status, headers } = answer
  const says = (await boundedText(answer).catch(() => '')).replace(/\s+/g, ' ').trim().slice(0, 120)
  const again = status === 408 || status === 425 || status === 429 || status >= 500
  return new ModelFault(`it answers with status ${status}${says === '' ? '' : `: ${says}`}`, {
    again,
    after: secondsIn(headers.get('retry-after')),
  })
}

/** `Retry-After`: seconds, or a date. */
function secondsIn(header: string | null): number | undefined {
  if (header === null) return undefined
  const seconds = /^\d+(\.\d+)?$/.test(header.trim()) ? Number(header) : (Date.parse(header) - Date.now()) / 1000
  return Number.isFinite(seconds) ? Math.max(0, seconds) : undefined
}

async function boundedText(answer: Response): Promise<string> {
  const decoder = new TextDecoder()
  let text = ''
  let size = 0
  for await (const bytes of answer.body ?? []) {
    size += (bytes as Uint8Array).length
    if (size > MOST_BYTES) throw new ModelFault(`its answer is longer than ${MOST_BYTES} bytes`, { again: true })
    text += decoder.decode(bytes, { stream: true })
  }
  return text + decoder.decode()
}

function wholeAnswer(text: string, { reply, ended, used }: ModelDescription): ModelAnswer {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch {
    throw new ModelFault('what it sends is no JSON', { again: true })
  }
  const found = at(data, reply)
  if (typeof found !== 'string') throw new ProblemError([problem('answer-not-found', { pointer: reply, keys: keysOf(data) })])
  return answerOf(found, ended && finishOf(at(data, ended.at), ended), used && usageOf(data, used))
}

/** The pieces of an answer that comes as server-sent events. */
async function pieces(
  answer: Response,
  { ended, used }: ModelDescription,
  stream: NonNullable<ModelDescription['stream']>,
): Promise<ModelAnswer> {
  let text = ''
  let finish: Finish | undefined
  let usage: Usage | undefined
  let closed = false
  const events = answer
    .body!.pipeThrough(new TextDecoderStream() as unknown as TransformStream<Uint8Array, string>)
    .pipeThrough(new EventSourceParserStream())
  for await (const { data } of events) {
    closed ||= data === stream.last
    if (data === stream.last) break
    const event = parsed(data)
    const piece = at(event, stream.piece)
    if (typeof piece === 'string') text += piece
    if (text.length > MOST_BYTES) throw new ModelFault(`its answer is longer than ${MOST_BYTES} bytes`, { again: true })
    if (ended) finish = finishOf(at(event, ended.at), ended) ?? finish
    if (used) usage = usageOf(event, used) ?? usage
  }
  // Without a word that it is over, a stream that ends was cut.
  if (stream.last !== undefined && !closed) throw new ModelFault('its answer breaks off before it is over', { again: true })
  return answerOf(text, finish, usage)
}

function parsed(data: string): unknown {
  try {
    return JSON.parse(data) as unknown
  } catch {
    throw new ModelFault('a piece of what it sends is no JSON', { again: true })
  }
}

function answerOf(text: string, finish: Finish | undefined, usage: Usage | undefined): ModelAnswer {
  return { text, finish: finish ?? 'done', ...(usage && { usage }) }
}

function at(data: unknown, pointer: string): unknown {
  return typeof data === 'object' && data !== null ? (jsonpointer.get(data, pointer) as unknown) : undefined
}

/** Undefined as long as nothing is said of the end. */
function finishOf(word: unknown, { cutOff, refused }: NonNullable<ModelDescription['ended']>): Finish | undefined {
  if (typeof word !== 'string') return undefined
  return cutOff.includes(word) ? 'cut-off' : refused.includes(word) ? 'refused' : 'done'
}

function usageOf(data: unknown, { asked, answered }: NonNullable<ModelDescription['used']>): Usage | undefined {
  const [one, other] = [at(data, asked), at(data, answered)]
  return typeof one === 'number' && typeof other === 'number' ? { asked: one, answered: other } : undefined
}

function keysOf(data: unknown): string[] {
  return typeof data === 'object' && data !== null ? Object.keys(data).slice(0, 8) : []
}

/** A platform's fault in our words. */
function whyNot(fault: unknown, signal: AbortSignal): string {
  if (signal.aborted) return 'it took too long'
  const cause = partOf(fault, 'cause')
  const code = partOf(cause, 'code')
  if (code === 'ECONNREFUSED') return 'nobody listens at its address'
  if (code === 'ENOTFOUND') return 'its address is unknown'
  if (code === 'ECONNRESET' || code === 'UND_ERR_SOCKET') return 'the connection was dropped'
  const message = partOf(cause, 'message')
  return code === undefined && typeof message === 'string' ? message : reason(cause ?? fault)
}

/** What a fault of the platform holds: it may be of another realm than ours, as in a page's frame. */
function partOf(fault: unknown, key: string): unknown {
  return typeof fault === 'object' && fault !== null && key in fault ? (fault as Record<string, unknown>)[key] : undefined
}
