import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { describe, expect, test } from '@jest/globals'
import { trace } from '@opentelemetry/api'
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import { ModelFault } from 'dunelight'
import { eventually, readAuditLinesOf, SERVED, eventsIn, send, testModel, useService } from '../../../test/service.js'
import { useWorkplace } from '../../../test/repository.js'

const place = useWorkplace(SERVED)
const served = useService()
const LABEL = { values: { title: 'Storm lantern' } }
const answering = (text: string) => testModel(() => Promise.resolve({ text, finish: 'done', usage: { sent: 10, received: 5 } }))

describe('prompts', () => {
  test('are listed, searched and described, and one that would take open text from callers is refused with the reason', async () => {
    const service = await served.open({ library: place.folder, noToken: true })
    const names = async (query: string) =>
      ((await send(service, `/prompts${query}`)).data['prompts'] as { name: string }[]).map(({ name }) => name)
    expect(await names('')).toEqual(['grade', 'label/write', 'plain'])
    expect(await names('?tag=label')).toEqual(['label/write', 'plain'])
    expect(await names('?q=card+WRITE')).toEqual(['label/write'])
    const { data } = await send(service, '/prompts/label/write')
    expect(data).toMatchObject({
      name: 'label/write',
      title: 'Write a label',
      isTool: true,
      variables: { type: 'object', required: ['title'], properties: { audience: { enum: ['adult', 'child', null], default: 'adult' } } },
      answer: { type: 'object', required: ['heading'] },
    })
    const { status, data: open } = await send(service, '/render/open', { body: LABEL })
    expect(status).toBe(503)
    expect(open['problems']).toMatchObject([{ code: 'text-trusted', help: expect.stringContaining('untrusted: true') }])
  })

  test('are rendered with locale and seed, with the origins of their text where a page asks for them', async () => {
    const service = await served.open({ library: place.folder, noToken: true })
    const { status, data } = await send(service, '/render/label/write', {
      body: { values: { title: 'Bell', audience: 'child' }, locale: 'de', seed: 3 },
    })
    expect(status).toBe(200)
    expect(data).toMatchObject({
      turns: [{ role: 'system', text: 'Write for child.' }, { role: 'user' }],
      fingerprint: expect.stringMatching(/^[\da-f]{64}$/),
    })
    const trace = await send(service, '/trace/label/write', { body: LABEL })
    expect(JSON.stringify(trace.data)).toContain('"kind":"value"')
  })

  test('are asked: the answer is read, checked and counted', async () => {
    const service = await served.open({ library: place.folder, noToken: true, model: answering('{"heading": "Bell of 1888",}') })
    const { status, data } = await send(service, '/ask/label/write', { body: { values: { title: 'Bell' } } })
    expect(status).toBe(200)
    expect(data).toMatchObject({
      answer: { heading: 'Bell of 1888' },
      model: 'test',
      usage: { sent: 10, received: 5 },
      corrections: 0,
      cached: false,
    })
    expect(data['unsupported']).toEqual([expect.stringContaining('1888')])
    expect(data['repairs']).toHaveLength(1)
    const again = await send(service, '/ask/label/write', { body: { values: { title: 'Bell' } } })
    expect(again.data).toMatchObject({ cached: true, answer: { heading: 'Bell of 1888' } })
    const metrics = (await send(service, '/metrics')).text
    expect(metrics).toContain('dunelight_requests_total{operation="ask",prompt="label/write",edition="working",status="done"} 2')
    expect(metrics).toContain('dunelight_cached_answers_total{prompt="label/write",edition="working",model="test"} 1')
    expect(metrics).toContain('dunelight_tokens_total{prompt="label/write",edition="working",model="test",direction="sent"} 10')
  })

  test('have replies read, with the claims that no value supports', async () => {
    const service = await served.open({ library: place.folder, noToken: true })
    const read = (body: object) => send(service, '/read/grade', { body })
    expect((await read({ text: 'Grade: Watch.' })).data).toMatchObject({ answer: { label: 'watch' } })
    expect((await read({ text: 'Watch', values: { note: 'Rust' } })).data).toMatchObject({ answer: { label: 'watch' }, unsupported: [] })
    expect(await read({ text: 'no idea' })).toMatchObject({ status: 422, data: { type: 'urn:dunelight:reply-unusable' } })
    expect(await read({})).toMatchObject({ status: 400 })
  })
})

describe('a refusal', () => {
  test.each<[string, string, object | undefined, number, object]>([
    [
      'an unknown prompt, with the nearest',
      '/render/label/wrte',
      LABEL,
      404,
      { detail: 'unknown prompt "label/wrte"; did you mean "label/write"?' },
    ],
    ['a misspelt key', '/render/grade', { valus: {} }, 400, { detail: 'unknown key "valus"; did you mean "values"?' }],
    ['an edition of working files', '/render/grade', { values: {}, edition: 2 }, 404, { type: 'urn:dunelight:edition-unknown' }],
    ['a body that is a list', '/render/grade', [1], 400, { detail: 'the body must be an object' }],
    ['a seed that is no number', '/render/grade', { seed: 'x' }, 400, { detail: '"seed" must be a whole number' }],
    ['an address that is none', '/nothing', undefined, 404, { title: 'There is nothing here' }],
    ['a broken address', '/prompts/%E0%A4%A', undefined, 400, { detail: 'the address is not valid' }],
  ])('of %s is problem details', async (_, path, body, status, details) => {
    const service = await served.open({ library: place.folder, noToken: true })
    const refused = await send(service, path, body === undefined ? {} : { body })
    expect(refused.status).toBe(status)
    expect(refused.headers.get('content-type')).toBe('application/problem+json')
    expect(refused.data).toMatchObject({ status, ...details })
  })

  test('of values points into them, in the way of JSON Pointers', async () => {
    const service = await served.open({ library: place.folder, noToken: true })
    const { status, data } = await send(service, '/render/label/write', { body: { values: { sizes: [1, 'x'], audiense: 'child' } } })
    expect(status).toBe(400)
    const problems = data['problems'] as { code: string; pointer: string }[]
    expect(problems.map(({ pointer }) => pointer).sort()).toEqual(['/audiense', '/sizes/1', '/title'])
  })

  test.each<[string, ConstructorParameters<typeof ModelFault> | undefined, string, number]>([
    ['a model that fails', ['it is asleep', { retry: false }], '', 502],
    ['a reply that cannot be read', undefined, 'no label', 422],
  ])('of %s says so', async (_, fault, text, status) => {
    const model = testModel(() => (fault ? Promise.reject(new ModelFault(...fault)) : Promise.resolve({ text, finish: 'done' })))
    const service = await served.open({ library: place.folder, noToken: true, model })
    const refused = await send(service, '/ask/grade', { body: { values: { note: 'Rust' } } })
    expect(refused.status).toBe(status)
    expect((refused.data['problems'] as unknown[]).length).toBeGreaterThan(0)
  })

  test('of a model that is too slow comes in time', async () => {
    const model = testModel(
      (_, { signal }) =>
        new Promise((_, reject) => (signal as unknown as EventTarget).addEventListener('abort', () => reject(new Error('gone')))),
    )
    const service = await served.open({ library: place.folder, noToken: true, model, seconds: 0.05 })
    expect(await send(service, '/ask/grade', { body: { values: { note: 'Rust' } } })).toMatchObject({ status: 504 })
  })
})

describe('every request is checked in one order', () => {
  const wrong = {
    host: { host: 'evil.example' },
    origin: { origin: 'https://evil.example' },
    type: { 'content-type': 'text/plain' },
    token: { authorization: 'Bearer dl_caller00_wrong' },
  }
  test.each<[string, Record<string, string>, number]>([
    ['host', { ...wrong.host, ...wrong.origin, ...wrong.type, ...wrong.token }, 421],
    ['origin', { ...wrong.origin, ...wrong.type, ...wrong.token }, 403],
    ['content type', { ...wrong.type, ...wrong.token }, 415],
    ['token', wrong.token, 401],
  ])('%s first', async (_, headers, status) => {
    const { file } = served.callers({ desk: 'prompts: all' })
    const service = await served.open({ library: place.folder, callers: file })
    for (const path of ['/render/label/write', '/mcp', '/session', '/nothing'])
      if (!(path === '/nothing' && status === 401)) expect((await send(service, path, { body: 'x', headers })).status).toBe(status)
  })

  test('a token in an address is none, and an expired or withdrawn one neither', async () => {
    const { file, tokens } = served.callers({ desk: 'prompts: all', old: 'prompts: all, expires: 2026-01-31' })
    const service = await served.open({ library: place.folder, callers: file })
    const list = (token: string) => send(service, '/prompts', { token })
    expect((await send(service, `/prompts?token=${tokens.desk}`)).status).toBe(401)
    expect((await list(tokens.desk)).status).toBe(200)
    expect(await list(tokens.old)).toMatchObject({ status: 401, data: { detail: 'the token expired after 2026-01-31' } })
    expect((await list(`${tokens.desk.slice(0, -1)}~`)).status).toBe(401)
    expect((await list(tokens.desk)).headers.get('access-control-allow-origin')).toBe(null)
    writeFileSync(file, 'callers: {}\n')
    for (let tries = 0; tries < 200 && (await list(tokens.desk)).status === 200; tries++)
      await new Promise((resolve) => setTimeout(resolve, 25))
    expect((await list(tokens.desk)).status).toBe(401)
    writeFileSync(file, 'callers: { desk: { id: 7 } }\n')
    await new Promise((resolve) => setTimeout(resolve, 200))
    expect((await list(tokens.desk)).status).toBe(401)
  })

  test('pages of a listed origin may call, others are refused before anything is done', async () => {
    const origin = 'https://desk.sandmouth.example'
    const service = await served.open({ library: place.folder, noToken: true, origins: [origin] })
    const preflight = await send(service, '/render/grade', {
      method: 'OPTIONS',
      headers: { origin, 'access-control-request-method': 'POST' },
    })
    expect(preflight.status).toBe(204)
    expect(preflight.headers.get('access-control-allow-origin')).toBe(origin)
    const rendered = await send(service, '/render/grade', { body: { values: { note: 'x' } }, headers: { origin } })
    expect(rendered.headers.get('access-control-allow-origin')).toBe(origin)
    expect(
      (await send(service, '/render/grade', { body: { values: { note: 'x' } }, headers: { origin: 'http://localhost' } })).status,
    ).toBe(200)
    expect((await send(service, '/prompts', { headers: { origin: 'null' } })).status).toBe(403)
  })

  test('a session of the page is a cookie that scripts cannot read', async () => {
    const { file, tokens } = served.callers({ desk: 'prompts: all' })
    const service = await served.open({ library: place.folder, callers: file })
    const begun = await send(service, '/session', { body: '{}', token: tokens.desk })
    const cookie = begun.headers.get('set-cookie') ?? ''
    expect(cookie).toMatch(/^dunelight=[\w-]{32}; Path=\/; Max-Age=\d+; HttpOnly; SameSite=Strict$/)
    expect(cookie).not.toContain(tokens.desk.slice(12))
    const headers = { cookie: cookie.split(';')[0] ?? '' }
    expect((await send(service, '/prompts', { headers })).status).toBe(200)
    await send(service, '/session', { method: 'DELETE', headers })
    expect((await send(service, '/prompts', { headers })).status).toBe(401)
  })

  test('bodies are limited, compressed or not', async () => {
    const service = await served.open({ library: place.folder, noToken: true, limits: { body: 1000 } })
    const post = (body: Uint8Array<ArrayBuffer> | string, headers: Record<string, string> = {}) =>
      service
        .fetch(
          new Request('http://localhost/render/grade', {
            method: 'POST',
            body,
            headers: { 'content-type': 'application/json', ...headers },
          }),
        )
        .then(({ status }) => status)
    const small = JSON.stringify({ values: { note: 'Rust' } })
    expect(await post(gzipSync(small), { 'content-encoding': 'gzip' })).toBe(200)
    expect(await post('x'.repeat(1001))).toBe(413)
    expect(await post(gzipSync('x'.repeat(100_000)), { 'content-encoding': 'gzip' })).toBe(413)
    expect(await post('x', { 'content-encoding': 'br' })).toBe(415)
    expect(await post('x', { 'content-encoding': 'gzip' })).toBe(400)
    expect(await post(Uint8Array.of(0xff))).toBe(400)
    expect(await post('[['.repeat(400))).toBe(400)
  })
})

describe('callers', () => {
  test('see and use only what they may, by name, tag and operation', async () => {
    const { file, tokens } = served.callers({
      desk: 'prompts: [grade], operations: [render]',
      labels: 'tags: [label], operations: [render, ask]',
    })
    const service = await served.open({ library: place.folder, callers: file, model: answering('sound') })
    const { data } = await send(service, '/prompts', { token: tokens.labels })
    expect((data['prompts'] as { name: string }[]).map(({ name }) => name)).toEqual(['label/write', 'plain'])
    const status = async (path: string, token: string, body: object = { values: { note: 'x' } }) =>
      (await send(service, path, { token, body })).status
    expect(await status('/render/grade', tokens.desk)).toBe(200)
    expect(await status('/ask/grade', tokens.desk)).toBe(403)
    expect(await status('/render/grade', tokens.labels)).toBe(404)
    expect((await send(service, '/metrics', { token: tokens.desk })).status).toBe(403)
    expect(Object.keys((await send(service, '/openapi.json', { token: tokens.desk })).data['paths'] as object)).toEqual([
      '/render/grade',
      '/ask/grade',
      '/read/grade',
    ])
    expect(Object.keys((await send(service, '/health', { token: tokens.desk })).data)).toEqual(['status'])
  })

  test('have requests a minute, and are told when to come again', async () => {
    const { file, tokens } = served.callers({ desk: 'prompts: all, per-minute: 2', other: 'prompts: all' })
    const service = await served.open({ library: place.folder, callers: file })
    const list = (token: string) => send(service, '/prompts', { token })
    await list(tokens.desk)
    await list(tokens.desk)
    const refused = await list(tokens.desk)
    expect(refused.status).toBe(429)
    expect(Number(refused.headers.get('retry-after'))).toBeGreaterThan(0)
    expect((await list(tokens.other)).status).toBe(200)
  })

  test('have tokens a day, which a restart does not give back', async () => {
    const { file, tokens } = served.callers({ desk: 'prompts: all, operations: [ask], tokens-a-day: 2500' })
    const ask = (service: Parameters<typeof send>[0], note: string) =>
      send(service, '/ask/grade', { token: tokens.desk, body: { values: { note } } })
    const dear = testModel(() => Promise.resolve({ text: 'sound', finish: 'done', usage: { sent: 1000, received: 900 } }))
    const first = await served.open({ library: place.folder, callers: file, model: dear })
    expect((await ask(first, 'one')).status).toBe(200)
    await first.close()
    const second = await served.open({ library: place.folder, callers: file, model: dear })
    const refused = await ask(second, 'two')
    expect(refused).toMatchObject({ status: 429, data: { type: 'urn:dunelight:budget-spent' } })
    // A refusal that passes is no result of a key, and says when it passes.
    const headers = { 'idempotency-key': 'a-key' }
    const keyed = await send(second, '/ask/grade', { token: tokens.desk, body: { values: { note: 'two' } }, headers })
    expect(keyed.status).toBe(429)
    expect(Number(keyed.headers.get('retry-after'))).toBeGreaterThan(0)
    // What was answered before costs nothing.
    expect((await ask(second, 'one')).data).toMatchObject({ cached: true })
  })

  test('that ask the same at the same time pay once', async () => {
    let asked = 0
    const model = testModel(async () => {
      asked++
      await new Promise((resolve) => setTimeout(resolve, 30))
      return { text: 'sound', finish: 'done' }
    })
    const service = await served.open({ library: place.folder, noToken: true, model })
    const answers = await Promise.all(Array.from({ length: 20 }, () => send(service, '/ask/grade', { body: { values: { note: 'x' } } })))
    expect(answers.map(({ status }) => status)).toEqual(Array.from({ length: 20 }, () => 200))
    expect(asked).toBe(1)
  })

  test('do not share cached answers, unless they say so', async () => {
    let asked = 0
    const model = testModel(() => Promise.resolve({ text: asked++ % 2 === 0 ? 'sound' : 'watch', finish: 'done' }))
    const { file, tokens } = served.callers({
      a: 'prompts: all, operations: [ask]',
      b: 'prompts: all, operations: [ask]',
      c: 'prompts: all, operations: [ask], share-cache: true',
      d: 'prompts: all, operations: [ask], share-cache: true',
    })
    const service = await served.open({ library: place.folder, callers: file, model })
    const answers = []
    for (const token of [tokens.a, tokens.b, tokens.c, tokens.d])
      answers.push((await send(service, '/ask/grade', { token, body: { values: { note: 'x' } } })).data['cached'])
    expect(answers).toEqual([false, false, false, true])
  })
})

describe('an idempotency key', () => {
  test('gives the same result again, and is of one caller, one route and one body', async () => {
    let asked = 0
    const model = testModel(() => Promise.resolve({ text: asked++ % 2 === 0 ? 'sound' : 'watch', finish: 'done' }), { isMock: true })
    const { file, tokens } = served.callers({ a: 'prompts: all, operations: [ask, render]', b: 'prompts: all, operations: [ask]' })
    const open = () => served.open({ library: place.folder, callers: file, model })
    let service = await open()
    const ask = (token: string, note: string, path = '/ask/grade') =>
      send(service, path, { token, body: { values: { note } }, headers: { 'idempotency-key': 'k-1' } })
    const first = await ask(tokens.a, 'x')
    expect((await ask(tokens.a, 'x')).text).toBe(first.text)
    await service.close()
    service = await open()
    expect((await ask(tokens.a, 'x')).text).toBe(first.text)
    expect(asked).toBe(1)
    expect(await ask(tokens.a, 'y')).toMatchObject({ status: 422, data: { type: 'urn:dunelight:key-reused' } })
    expect((await ask(tokens.b, 'x')).status).toBe(200)
    expect((await ask(tokens.a, 'x', '/render/grade')).data).toHaveProperty('turns')
    expect(asked).toBe(2)
  })

  test('of a request that is still running is refused, and faults are not kept', async () => {
    let go: (() => void) | undefined
    let isBroken = true
    const model = testModel(async () => {
      if (isBroken) throw new ModelFault('asleep', { retry: false })
      await new Promise<void>((resolve) => (go = resolve))
      return { text: 'sound', finish: 'done' }
    })
    const service = await served.open({ library: place.folder, noToken: true, model })
    const ask = () => send(service, '/ask/grade', { body: { values: { note: 'x' } }, headers: { 'idempotency-key': 'k-2' } })
    expect((await ask()).status).toBe(502)
    isBroken = false
    const running = ask()
    while (!go) await new Promise((resolve) => setTimeout(resolve, 5))
    expect((await ask()).status).toBe(409)
    go()
    expect((await running).status).toBe(200)
  })
})

describe('a stream', () => {
  const speaking = (text: string) =>
    testModel(async (_, { onText }) => {
      for (let end = 10; end < text.length; end += 10) {
        onText?.(text.slice(0, end))
        await new Promise((resolve) => setTimeout(resolve, 15))
      }
      return { text, finish: 'done' }
    })
  const streamed = { accept: 'text/event-stream' }

  test('has the text as it comes, the fields as far as they are known, and the answer', async () => {
    const text = '{"heading": "A lantern that was carried along the pier in every storm of the winter", "words": 14}'
    const service = await served.open({ library: place.folder, noToken: true, model: speaking(text) })
    const { text: stream, headers } = await send(service, '/ask/label/write', { body: LABEL, headers: streamed })
    expect(headers.get('content-type')).toBe('text/event-stream')
    const events = eventsIn(stream)
    let sofar = ''
    for (const { data } of events.filter(({ event }) => event === 'text'))
      sofar = sofar.slice(0, data['from'] as number) + String(data['text'])
    expect(sofar.length).toBeGreaterThan(20)
    expect(text.startsWith(sofar)).toBe(true)
    expect(events.map(({ data }) => data['partial'])).toContainEqual({ heading: expect.stringContaining('lantern') })
    expect(events.at(-1)).toMatchObject({ event: 'answer', data: { answer: { words: 14 } } })
  })

  test('never has what a screen of replies refuses', async () => {
    place.write(
      'dunelight.yaml',
      `${SERVED['dunelight.yaml']}screens:\n  - { name: no praise, applies-to: reply, finds: words, words: [priceless], action: reject }\n`,
    )
    const text = `{"heading": "${'A plain lantern, and nothing else. '.repeat(6)}It is priceless, and more. ${'x'.repeat(100)}"}`
    const service = await served.open({ library: place.folder, noToken: true, model: speaking(text) })
    const { text: stream } = await send(service, '/ask/label/write', { body: LABEL, headers: streamed })
    const events = eventsIn(stream)
    expect(events.length).toBeGreaterThan(2)
    expect(
      events
        .slice(0, -1)
        .map(({ data }) => data['text'])
        .join(''),
    ).not.toContain('priceless')
    expect(events.at(-1)).toMatchObject({ event: 'problem', data: { status: 422 } })
  })

  test('that its caller leaves gives the question up', async () => {
    let isAborted = false
    const model = testModel((_, { signal, onText }) => {
      onText?.('{"heading"')
      return new Promise((_, reject) =>
        (signal as unknown as EventTarget).addEventListener('abort', () => {
          isAborted = true
          reject(new Error('gone'))
        }),
      )
    })
    const service = await served.open({ library: place.folder, noToken: true, model })
    const response = await service.fetch(
      new Request('http://localhost/ask/label/write', {
        method: 'POST',
        body: JSON.stringify(LABEL),
        headers: { 'content-type': 'application/json', ...streamed },
      }),
    )
    const reader = response.body!.getReader()
    // The model has begun.
    for (let text = ''; !text.includes('heading');) text += new TextDecoder().decode((await reader.read()).value)
    await reader.cancel()
    await eventually(() => isAborted)
  })
})

describe('the operator', () => {
  test('has an audit of every rendering and answer, by caller, with nothing of the values', async () => {
    process.env['DUNELIGHT_AUDIT_KEY'] = 'a key of this test alone'
    place.write('dunelight.yaml', `${SERVED['dunelight.yaml']}audit: {}\n`)
    const { file, tokens } = served.callers({ desk: 'prompts: all, operations: [render, ask]' })
    const service = await served.open({ library: place.folder, callers: file, model: answering('sound') })
    const body = { values: { note: 'Woodworm-in-the-frame' } }
    await send(service, '/render/grade', { token: tokens.desk, body })
    await send(service, '/ask/grade', { token: tokens.desk, body })
    const lines = readAuditLinesOf(place.folder)
    expect(lines).toMatchObject([
      { operation: 'render', caller: 'desk', prompt: 'grade', status: 'done' },
      { operation: 'ask', caller: 'desk', prompt: 'grade', model: 'test', sent: 10, received: 5 },
    ])
    expect(JSON.stringify(lines)).not.toContain('Woodworm')
    delete process.env['DUNELIGHT_AUDIT_KEY']
  })

  test('sees the state of the last change, and a library with errors never replaces a valid one', async () => {
    const lines: string[] = []
    const service = await served.open({ library: place.folder, noToken: true, log: ({ message }) => lines.push(message) })
    place.write('prompts/grade.yaml', 'title: Broken\nturns: [{ user: "{nothing}" }]\n')
    await service.service.wordings.reload()
    expect((await send(service, '/health', { headers: { cookie: 'x=1' } })).data).toMatchObject({
      status: 'up',
      lastChange: { taken: false },
    })
    expect(lines.at(-1)).toContain('the change was not taken')
    expect((await send(service, '/render/grade', { body: { values: { note: 'x' } } })).status).toBe(200)
    place.write('prompts/grade.yaml', SERVED['prompts/grade.yaml'].replace('Grade a note', 'Judge a note'))
    await service.service.wordings.reload()
    expect((await send(service, '/prompts/grade')).data).toMatchObject({ title: 'Judge a note' })
  })

  test('has spans of the program’s own SDK, with the attributes of a convention that is asked for, and nothing of the values', async () => {
    const exporter = new InMemorySpanExporter()
    trace.setGlobalTracerProvider(new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(exporter)] }))
    try {
      const service = await served.open({ library: place.folder, noToken: true, model: answering('sound'), genAiConventions: '1.37' })
      await send(service, '/ask/grade', { body: { values: { note: 'Woodworm-in-the-frame' } } })
      await send(service, '/render/grade', { body: { values: {} } })
      const spans = exporter.getFinishedSpans().map(({ name, attributes, status }) => ({ name, attributes, status }))
      expect(spans).toMatchObject([
        {
          name: 'dunelight.ask',
          attributes: {
            'dunelight.prompt': 'grade',
            'dunelight.edition': 'working',
            'gen_ai.request.model': 'test',
            'gen_ai.usage.input_tokens': 10,
          },
        },
        { name: 'dunelight.render', status: { message: 'ServiceFault' } },
      ])
      expect(JSON.stringify(spans)).not.toContain('Woodworm')
    } finally {
      trace.disable()
    }
    await expect(served.open({ library: place.folder, noToken: true, genAiConventions: '9' })).rejects.toThrow('known: 1.37')
  })

  test('may have a folder of prompts with any name: each change of it counts', async () => {
    const service = await served.open({ library: place.folder, noToken: true })
    place.write('prompts/audit/out.yaml', 'title: Out\nturns: [{ user: Hello. }]\n')
    await eventually(async () => (await send(service, '/prompts/audit/out')).status === 200)
  })

  test('cannot begin a second service in the same state folder', async () => {
    await served.open({ library: place.folder, noToken: true })
    await expect(served.open({ library: place.folder, noToken: true })).rejects.toMatchObject({ problems: [{ code: 'state-taken' }] })
  })

  test('finds no secret in anything that leaves the service', async () => {
    process.env['MODEL_PASS'] = 'open-sesame-of-the-tests'
    place.write(
      'models.yaml',
      'default: far\nmodels:\n  far: { url: "http://127.0.0.1:9/ask", headers: { x-pass: "{env.MODEL_PASS}" }, answer: /said, attempts: 1 }\n',
    )
    const lines: string[] = []
    const service = await served.open({ library: place.folder, noToken: true, log: ({ message }) => lines.push(message) })
    const echoed = await send(service, '/ask/plain', { body: { values: { title: process.env['MODEL_PASS'] } } })
    expect(echoed.status).toBe(502)
    const rendered = await send(service, '/render/plain', { body: { values: { title: process.env['MODEL_PASS'] } } })
    expect(rendered.text).toContain('[secret]')
    const files = readdirSync(served.state, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile())
    const stored = files.map((entry) => readFileSync(join(entry.parentPath, entry.name), 'utf8')).join('')
    expect([echoed.text, rendered.text, stored, ...lines].join('\n')).not.toContain('open-sesame')
    delete process.env['MODEL_PASS']
  })
})
