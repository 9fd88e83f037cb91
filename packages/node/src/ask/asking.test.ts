import { mkdtempSync, rmSync } from 'node:fs'
import { createServer, type RequestListener, type Server } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { afterAll, describe, expect, test } from '@jest/globals'
import { libraryFrom, ModelFault, ProblemError, type Model, type ModelRequest } from 'dunelight'
import type { ModelDescription } from 'dunelight/host'
import { askOnce, httpModel, readyModel, serveMock, DEFAULT_REQUEST_LIMITS } from '@dunelight/node'
import { ModelQueue, RequestCancelled, secrets, type RequestLimits } from '@dunelight/node/host'

const request: ModelRequest = {
  prompt: 'p',
  record: '1',
  turns: [{ role: 'user', text: 'one two three four' }],
  settings: {},
  form: undefined,
  fingerprint: 'f',
  values: {},
  candidate: 1,
  enveloped: () => '{}',
}
const servers: Server[] = []
afterAll(() => {
  for (const server of servers) {
    server.close()
    server.closeAllConnections()
  }
})

/** A service that answers in this way, as a model. */
async function service(listener: RequestListener, more: Partial<ModelDescription> = {}, env: Record<string, string> = {}) {
  const server = createServer(listener)
  servers.push(server)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const description = {
    name: 'm',
    about: undefined,
    url: `http://127.0.0.1:${(server.address() as { port: number }).port}/`,
    headers: {},
    envelope: undefined,
    answer: '/a/0/b~1c',
    finish: { pointer: '/why', cutOff: ['full'], refused: ['no'] },
    usage: { sent: '/m/i', received: '/m/o' },
    stream: undefined,
    concurrency: 1,
    perMinute: { requests: undefined, tokens: undefined },
    timeout: 5,
    attempts: 1,
    price: undefined,
    span: undefined,
    ...more,
  } as unknown as ModelDescription
  const model = httpModel(description, env)
  return (signal = new AbortController().signal, onText?: (text: string) => void) => model(request, { signal, ...(onText && { onText }) })
}
const faultOf = (asked: Promise<unknown>) =>
  asked.then(
    () => 'an answer',
    (fault: unknown) => fault,
  )

describe('a model over HTTP', () => {
  test('is read by JSON Pointers, its headers filled from the environment', async () => {
    const seen: (string | undefined)[] = []
    const ask = await service(
      (incoming, answer) => {
        seen.push(incoming.headers['x-pass'] as string)
        answer.end(JSON.stringify({ a: [{ 'b/c': 'Sound.' }], why: 'full', m: { i: 9, o: 2 } }))
      },
      { headers: { 'x-pass': 'Pass {env.HERON}!' } },
      { HERON: 'grey' },
    )
    expect(await ask()).toEqual({ text: 'Sound.', finish: 'cut-off', usage: { sent: 9, received: 2 } })
    expect(seen).toEqual(['Pass grey!'])
  })

  test('needs an address', async () => {
    expect(await faultOf(service(() => undefined, { url: 'back office' }))).toMatchObject({ problems: [{ code: 'model-key-invalid' }] })
  })

  test('is asked again where that may help, and not where it cannot', async () => {
    const status = async (code: number, headers: Record<string, string> = {}) => {
      const ask = await service((_, answer) => answer.writeHead(code, headers).end('too\n much'))
      return (await faultOf(ask())) as ModelFault
    }
    expect(await status(429, { 'retry-after': '7' })).toMatchObject({
      message: 'it answers with status 429: too much',
      options: { retry: true, retryAfter: 7 },
    })
    const date = await status(503, { 'retry-after': new Date(Date.now() + 90_000).toUTCString() })
    expect(date.options.retryAfter).toBeGreaterThan(85)
    expect((await status(401)).options.retry).toBe(false)
    expect((await status(400)).options.retry).toBe(false)
    const dropped = await service((incoming) => incoming.socket.destroy())
    expect(await faultOf(dropped())).toMatchObject({ message: 'the connection was dropped', options: { retry: true } })
    const words = await service((_, answer) => answer.end('<html>'))
    expect(await faultOf(words())).toMatchObject({ message: 'the response is not valid JSON' })
    const silent = await service(() => undefined)
    expect(await faultOf(silent(AbortSignal.timeout(30)))).toMatchObject({ message: 'it took too long' })
  })

  test('receives records with characters of all kinds, in an envelope too, and redirects are not followed', async () => {
    const bodies: string[] = []
    const server = createServer((incoming, answer) => {
      const chunks: Buffer[] = []
      incoming.on('data', (chunk: Buffer) => chunks.push(chunk))
      incoming.on('end', () => {
        bodies.push(Buffer.concat(chunks).toString('utf8'))
        answer.end(JSON.stringify({ said: 'Möwe 🦆' }))
      })
    })
    servers.push(server)
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const library = libraryFrom({
      'prompts/p.yaml': 'title: P\nvariables: { note: text }\nturns: [{ user: "Über: {note}" }]\n',
      'envelopes/e.yaml': 'line: { requests: "{turns}", about: "Fußnote zu {record.id}" }\n',
      'models.yaml': `models:\n  m: { url: "http://127.0.0.1:${(server.address() as { port: number }).port}/", envelope: e, answer: /said }\n`,
    })
    const note = 'a hand’s breadth – 𝟘 "q"'
    const prepared = library.prompt('p').prepare({ note })
    const folder = mkdtempSync(join(tmpdir(), 'asking-'))
    const answered = await askOnce({ library, folder, prompt: 'p', prepared, record: 'Nº 1', model: readyModel(library, 'p', 'm') })
    rmSync(folder, { recursive: true })
    expect(answered.text).toBe('Möwe 🦆')
    expect(bodies.map((body) => JSON.parse(body) as unknown)).toEqual([
      { requests: [{ role: 'user', text: `Über: ${note}` }], about: 'Fußnote zu Nº 1' },
    ])
    const packed = await service((incoming, answer) => {
      const { accept, 'user-agent': agent } = incoming.headers
      answer.writeHead(200, { 'content-encoding': 'gzip' })
      answer.end(gzipSync(JSON.stringify({ a: [{ 'b/c': `Möwe, ${accept} for ${agent}` }] })))
    })
    expect(await packed()).toMatchObject({ text: 'Möwe, application/json for dunelight' })
    const broken = await service((_, answer) => answer.writeHead(200, { 'content-encoding': 'gzip' }).end('no such thing'))
    expect(await faultOf(broken())).toMatchObject({ name: 'ModelFault', options: { retry: true } })
    const onward = await service((_, answer) => answer.writeHead(307, { location: 'http://127.0.0.1:9/else' }).end())
    expect(await faultOf(onward())).toMatchObject({
      message: 'it answers with status 307: it sends on to http://127.0.0.1:9/else',
      options: { retry: false },
    })
  })

  test('comes in pieces, cut anywhere, and is not taken for whole where its end is missing', async () => {
    const stream = { piece: '/p', last: 'over' }
    const events = [
      'data: {"p":"Straße"}\n\n',
      ': still here\n\n',
      'data: {"p":" und Möwe"}\n\n',
      'data: {"why":"no","m":{"i":1,"o":2}}\n\n',
      'data: over\n\n',
    ]
    const sending =
      (all: readonly string[]): RequestListener =>
      (_, answer) => {
        const bytes = Buffer.from(all.join(''))
        answer.writeHead(200, { 'content-type': 'text/event-stream' })
        for (let position = 0; position < bytes.length; position += 7) answer.write(bytes.subarray(position, position + 7))
        answer.end()
      }
    const whole = await service(sending(events), { stream })
    expect(await whole()).toEqual({ text: 'Straße und Möwe', finish: 'refused', usage: { sent: 1, received: 2 } })
    const broken = await service(sending(events.slice(0, 3)), { stream })
    expect(await faultOf(broken())).toMatchObject({ message: 'its answer breaks off before it is over' })
  })
})

describe('an asker', () => {
  const asker = (rules: Partial<RequestLimits>, answers: (ModelFault | string)[], repeated: string[] = []) =>
    new ModelQueue(
      'm',
      () => {
        const next = answers.shift() ?? 'done'
        return typeof next === 'string' ? Promise.resolve({ text: next, finish: 'done' }) : Promise.reject(next)
      },
      { ...DEFAULT_REQUEST_LIMITS, ...rules },
      5,
      () => Promise.resolve((text) => text.length),
      { onRetry: (why) => void repeated.push(why) },
    )

  test('waits as long as the service asks, and keeps the rate limit', async () => {
    const repeated: string[] = []
    const busy = new ModelFault('busy', { retry: true, retryAfter: 1.2 })
    const started = performance.now()
    const modelQueue = asker({}, [busy, 'at last'], repeated)
    const asked = modelQueue.ask(request)
    expect((await asked).text).toBe('at last')
    expect(performance.now() - started).toBeGreaterThan(1150)
    expect(repeated).toEqual(['busy'])
    const fault = await faultOf(asker({ attempts: 5 }, [new ModelFault('no', { retry: false }), 'never']).ask(request))
    expect(fault).toBeInstanceOf(ProblemError)
    expect((fault as ProblemError).problems).toMatchObject([{ code: 'model-without-answer', message: 'model "m" gave no answer: no' }])
  })

  test('keeps to so many questions and tokens a minute; who waits for the next is let go when it is left', async () => {
    const some = asker({ perMinute: { requests: 3, tokens: undefined } }, [])
    const few = asker({ perMinute: { requests: undefined, tokens: 40 } }, [])
    const done: number[] = []
    const waiting: unknown[] = []
    const ask = (modelQueue: ReturnType<typeof asker>, number: number) =>
      modelQueue.ask(request).then(
        () => done.push(number),
        (fault: unknown) => waiting.push(fault),
      )
    const all = [0, 1, 2, 3].map((i) => ask(some, i)).concat([10, 11, 12].map((i) => ask(few, i)))
    await new Promise((resolve) => setTimeout(resolve, 250))
    expect([done, waiting]).toEqual([[0, 1, 2, 10, 11], []])
    some.cancelQueued()
    few.cancelQueued()
    await Promise.all(all)
    expect(waiting.map((fault) => fault instanceof RequestCancelled)).toEqual([true, true])
  })

  test('is left by who waits for another try, and stays with what is under way', async () => {
    let answer: (text: string) => void = () => undefined
    const slow = new Promise<string>((resolve) => (answer = resolve))
    const busy = new ModelFault('busy', { retry: true, retryAfter: 30 })
    const model: Model = async ({ record }) => {
      if (record === 'busy') throw busy
      return { text: await slow, finish: 'done' }
    }
    const modelQueue = new ModelQueue('m', model, DEFAULT_REQUEST_LIMITS, 5, () => Promise.reject(new Error('nothing is counted')))
    const [under, waits] = [modelQueue.ask({ ...request, record: 'slow' }), faultOf(modelQueue.ask({ ...request, record: 'busy' }))]
    await new Promise((resolve) => setTimeout(resolve, 50))
    modelQueue.cancelQueued()
    expect(await waits).toBeInstanceOf(RequestCancelled)
    answer('at last')
    expect((await under).text).toBe('at last')
    expect(await faultOf(modelQueue.ask(request))).toBeInstanceOf(RequestCancelled)
  })

  test('asks nothing of a question that was left just before it', async () => {
    const asked: string[] = []
    const model: Model = ({ record }) => {
      asked.push(record)
      return Promise.resolve({ text: 'paid for', finish: 'done' })
    }
    const modelQueue = new ModelQueue('m', model, DEFAULT_REQUEST_LIMITS, 5, () => Promise.reject(new Error('nothing is counted')))
    const left = faultOf(modelQueue.ask(request))
    modelQueue.cancelQueued()
    expect([await left, asked]).toEqual([expect.any(RequestCancelled), []])
  })
})

test('the mock server accepts requests only, and marks every answer as mock', async () => {
  const server = await serveMock({ library: libraryFrom({ 'prompts/p.yaml': 'title: P\nturns: [{ user: Go. }]\n' }) })
  const post = (path: string, body: string) => fetch(server.url.replace('/ask', path), { method: 'POST', body })
  expect([(await fetch(server.url)).status, (await post('/else', '{}')).status, (await post('/ask', 'nothing')).status]).toEqual([
    404, 404, 400,
  ])
  const answer = await post('/ask', JSON.stringify({ prompt: 'p', record: 'MH-1', turns: [{ text: 'Go on.' }] }))
  expect([answer.headers.get('x-mock'), await answer.json()]).toEqual([
    'yes',
    { said: expect.stringContaining('Invented: ') as unknown, why: 'done', meter: { sent: 2, received: expect.any(Number) as unknown } },
  ])
  expect(server.requests()).toBe(1)
  await server.close()
})

test('an answer that comes in pieces is heard as far as it has come, without the beginning of a secret', async () => {
  const pass = 'pass-of-the-till-44'
  const model = await service(
    (_, answer) => {
      answer.writeHead(200, { 'content-type': 'text/event-stream' })
      for (const piece of ['The pass ', 'is pass-of', '-the-till', '-44, and no', ' other.'])
        answer.write(`data: ${JSON.stringify({ piece })}\n\n`)
      answer.end('data: over\n\n')
    },
    { stream: { piece: '/piece', last: 'over' } },
  )
  secrets.add(pass)
  const heard: string[] = []
  const answered = await model(new AbortController().signal, (text) => void heard.push(text))
  expect(answered.text).toBe('The pass is [secret], and no other.')
  for (const text of heard) for (let i = 0; i + 9 <= pass.length; i++) expect(text).not.toContain(pass.slice(i, i + 9))
  expect(answered.text.startsWith(heard.at(-1) ?? '-')).toBe(true)
})

test('a question that is given up is no answer and no failure of the model', async () => {
  const gaveUp = new AbortController()
  const model = await service(() => gaveUp.abort())
  const asker = new ModelQueue(
    'm',
    (_, { signal }) => model(signal),
    DEFAULT_REQUEST_LIMITS,
    1,
    () => Promise.reject(new Error('not counted')),
    { signal: gaveUp.signal },
  )
  expect(await faultOf(asker.ask(request))).toBeInstanceOf(RequestCancelled)
})

test('a service that asks for a longer pause than a run should wait ends the run, which can be resumed', async () => {
  for (const after of ['86400', '4294967295', 'Fri, 31 Dec 9999 23:59:59 GMT']) {
    const model = await service((_, answer) => void answer.writeHead(429, { 'retry-after': after }).end())
    const asker = new ModelQueue(
      'm',
      (_, { signal }) => model(signal),
      { ...DEFAULT_REQUEST_LIMITS, attempts: 3 },
      1,
      () => Promise.reject(new Error('not counted')),
    )
    expect(await faultOf(asker.ask(request))).toMatchObject({ problems: [{ code: 'retry-after-too-long' }] })
  }
})
