import { Hono, type Context } from 'hono'
import { bodyLimit } from 'hono/body-limit'
import { stream } from 'hono/streaming'
import { problemRecord, type Library } from 'dunelight'
import { MOCK_MODEL } from 'dunelight/host'
import { askOnce, openLibrary, readyModel, type ReadyModel } from '@dunelight/node'
import { askedFor, costOf, keepAsked, Pieces, RequestCancelled, secrets, type Answered, type AskedRecord } from '@dunelight/node/host'
import { faultOf, refuse } from './guards.js'
import { isLibraryFile } from './library-files.js'
import type { Session } from './session.js'

/** The values of a record, documents among them. */
const MOST_BYTES = 64 * 1024 * 1024
/** Questions of a record that the page shows. */
const MOST_ASKED = 50

interface AskBody {
  /** Texts of the library as they are edited in the page. */
  readonly files: Readonly<Record<string, string>>
  readonly prompt: string
  readonly batch?: string
  readonly record: string
  readonly values: Readonly<Record<string, unknown>>
  readonly model?: string
  readonly wording: string
  readonly candidate: number
  /** Takes nothing of what was answered before. */
  readonly fresh: boolean
}

/** One question at a time is put to a model, for a record as the page shows it; the reply comes in pieces. */
export function askRoutes(root: string, session: Session): Hono {
  const app = new Hono()
  app.get('/models', async (c) => c.json(modelsOf(await openLibrary(root, { countTokens: () => 0 }), session)))
  app.post('/session', bodyLimit({ maxSize: 1000 }), async (c) => {
    const { most } = await c.req.json<{ most: unknown }>()
    if (typeof most !== 'number' || !Number.isInteger(most) || most < 0) return refuse(c, 'the number of requests is a whole number', 400)
    session.allow(most)
    return c.json(session.state)
  })
  app.get('/asked', async (c) => c.json(await askedFor(root, c.req.query('prompt') ?? '', c.req.query('record') ?? '', MOST_ASKED)))
  app.post('/ask', bodyLimit({ maxSize: MOST_BYTES }), async (c) => {
    const body: unknown = JSON.parse(await c.req.text(), (_, value: unknown) => withBytes(value))
    if (!isAskBody(body)) return refuse(c, 'a question needs files, prompt, record, values, wording, candidate and fresh', 400)
    const foreign = Object.keys(body.files).find((path) => !isLibraryFile(path))
    if (foreign !== undefined) return refuse(c, `"${foreign}" is not a file of a library`, 422)
    return answer(c, root, session, body)
  })
  return app
}

function modelsOf(library: Library, session: Session) {
  const { models, defaultModel } = library.artefacts.models
  return {
    models: [
      ...[...models.values()].map(({ name, about, price }) => ({ name, about, hasPrice: price !== undefined, isMock: false })),
      { name: MOCK_MODEL, about: 'built in: it invents replies', hasPrice: false, isMock: true },
    ],
    usual: defaultModel ?? [...models.keys()][0] ?? MOCK_MODEL,
    session: session.state,
  }
}

/** The reply as lines of JSON: what has come of it, then what came of it. */
function answer(c: Context, root: string, session: Session, body: AskBody): Response {
  c.header('content-type', 'application/x-ndjson')
  return stream(c, async (out) => {
    const cancel = new AbortController()
    out.onAbort(() => cancel.abort())
    // One after the other: a piece is written while the next comes.
    let written = Promise.resolve<unknown>(undefined)
    const tell = (event: object) => (written = written.then(() => out.write(`${secrets.redact(JSON.stringify(event))}\n`)))
    const pieces = new Pieces((piece) => void tell({ kind: 'text', ...piece }))
    try {
      const asked = await ask(root, session, body, cancel.signal, pieces, (why) => void tell({ kind: 'retry', why }))
      await keepAsked(root, asked)
      // No piece comes behind the whole.
      pieces.end()
      await tell({ kind: 'done', asked, session: session.state })
    } catch (fault) {
      pieces.end()
      if (fault instanceof RequestCancelled || cancel.signal.aborted) await tell({ kind: 'cancelled' })
      else await tell({ kind: 'failed', ...faultOf(fault), session: session.state })
    }
    await written
  })
}

async function ask(
  root: string,
  session: Session,
  { files, prompt: name, batch, record, values, model: wanted, wording, candidate, fresh }: AskBody,
  signal: AbortSignal,
  pieces: Pieces,
  onRetry: (why: string) => void,
): Promise<AskedRecord> {
  const library = await openLibrary(root, { instead: files })
  const prompt = library.prompt(name)
  const model = readyModel(library, name, wanted)
  const seed = batch === undefined ? undefined : library.artefacts.batches.get(batch)?.seed
  const started = performance.now()
  const answered = await askOnce({
    library,
    folder: root,
    prompt: name,
    prepared: prompt.prepare(values),
    record,
    model: session.counted(model),
    candidate,
    fresh,
    signal,
    onText: (text) => pieces.hear(text),
    onRetry,
    ...(seed !== undefined && { seed }),
  })
  const about = { at: new Date().toISOString(), prompt: name, record, model: model.name, wording, candidate, settings: prompt.settings }
  return { ...about, ...outcome(answered, model), seconds: (performance.now() - started) / 1000 }
}

function outcome({ text, answers, problems, notes, turns = [] }: Answered, model: ReadyModel) {
  const sent = answers.filter(({ cached }) => !cached)
  const usage = sent.reduce(
    (sum, { answer }) => ({ sent: sum.sent + (answer.usage?.sent ?? 0), received: sum.received + (answer.usage?.received ?? 0) }),
    { sent: 0, received: 0 },
  )
  const last = answers.at(-1)
  const remarks = notes.map(
    ({ screen, message }) => ({ code: 'screen-found', severity: 'info', message: `${screen}: ${message}` }) as const,
  )
  return {
    isMock: answers.some(({ answer }) => answer.isMock),
    cached: last?.cached ?? false,
    turns,
    text,
    problems: [...problems.map(problemRecord), ...remarks] as AskedRecord['problems'],
    finish: last?.answer.finish,
    usage: usage.sent + usage.received > 0 ? usage : last?.answer.usage,
    requests: sent.length,
    cost: model.price ? costOf(usage, model.price) : undefined,
  }
}

function isAskBody(body: unknown): body is AskBody {
  if (typeof body !== 'object' || body === null) return false
  const { files, prompt, batch, record, values, model, wording, candidate, fresh } = body as Record<keyof AskBody, unknown>
  const isText = (value: unknown) => typeof value === 'string'
  return (
    isObject(files) &&
    Object.values(files).every(isText) &&
    [prompt, record, wording].every(isText) &&
    [batch, model].every((value) => value === undefined || isText(value)) &&
    isObject(values) &&
    Number.isInteger(candidate) &&
    Number(candidate) >= 1 &&
    typeof fresh === 'boolean'
  )
}

function isObject(value: unknown): value is object {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

/** Documents come with their bytes in Base64. */
function withBytes(value: unknown): unknown {
  if (!isObject(value) || !('base64' in value) || !('mediaType' in value) || typeof value.base64 !== 'string') return value
  const { base64, ...rest } = value
  return { ...rest, bytes: new Uint8Array(Buffer.from(base64, 'base64')) }
}
