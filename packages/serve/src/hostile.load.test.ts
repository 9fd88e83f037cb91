import { request as httpRequest, type IncomingHttpHeaders } from 'node:http'
import { connect as openSocket, type Socket } from 'node:net'
import { gzipSync } from 'node:zlib'
import { afterEach, beforeEach, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { listen, type Listening } from '@dunelight/serve'
import { times } from '../../../test/house.js'
import { useWorkplace } from '../../../test/repository.js'
import { eventually, SERVED, testModel, useService } from '../../../test/service.js'

// A service on its port, and everything that a stranger, a page of another origin or a caller with few rights could send to it.

/** What only some may read: it must be in no answer to others, and in no log. */
const HIDDEN = 'the-wording-of-the-vault'
const PASS = 'open-sesame-7531'
const place = useWorkplace({
  ...SERVED,
  'prompts/vault.yaml': `title: The vault\ntags: [vault]\nvariables: { note: { type: text, untrusted: true } }\nturns:\n  - system: ${HIDDEN}\n  - user: |\n      {note as fenced}\n`,
  'models.yaml': 'models:\n  far: { url: "http://127.0.0.1:9/ask", headers: { x-pass: "{env.VAULT_PASS}" }, answer: /said }\n',
})
const served = useService()
const log: string[] = []
let listening: Listening
let tokens: Readonly<Record<'desk' | 'old' | 'vault', string>>

beforeEach(async () => {
  log.length = 0
  process.env['VAULT_PASS'] = PASS
  const made = served.callers({
    desk: 'prompts: [grade], operations: [render]',
    old: 'prompts: all, expires: 2026-01-31, operations: [render, ask, read, metrics]',
    vault: 'prompts: all, operations: [render, ask, read, metrics]',
  })
  tokens = made.tokens
  const model = testModel(({ values }) => Promise.resolve({ text: `${PASS} ${JSON.stringify(values)}`, finish: 'done' }))
  const service = await served.open({
    library: place.folder,
    callers: made.file,
    model,
    limits: { body: 20_000 },
    log: ({ message }) => log.push(message),
  })
  listening = await listen(service, { port: 0 })
})
afterEach(async () => {
  await listening.close()
  delete process.env['VAULT_PASS']
})

interface Sent {
  readonly method: string
  readonly path: string
  readonly headers: Readonly<Record<string, string | string[]>>
  readonly body?: string | Buffer
}
interface Got {
  readonly status: number
  readonly headers: IncomingHttpHeaders
  readonly text: string
}

function send({ method, path, headers, body }: Sent): Promise<Got> {
  return new Promise((resolve, reject) => {
    const request = httpRequest({ host: '127.0.0.1', port: listening.port, method, path, headers, agent: false }, (response) => {
      let text = ''
      response.setEncoding('utf8').on('data', (chunk: string) => (text += chunk))
      response.on('end', () => resolve({ status: response.statusCode ?? 0, headers: response.headers, text }))
      response.on('error', reject)
    })
    request.on('error', (fault: NodeJS.ErrnoException) =>
      fault.code === 'ECONNRESET' || fault.code === 'EPIPE' ? resolve({ status: 0, headers: {}, text: '' }) : reject(fault),
    )
    request.end(body)
  })
}

const nasty = fc.oneof(
  fc.constantFrom(
    '..',
    '%2e%2e',
    '..%2f..%2fetc%2fpasswd',
    '%00',
    '//',
    '\\',
    '%5c..%5c',
    '.git',
    'editions',
    'grade',
    'vault',
    '1',
    '99',
    '*',
    '~',
    '{note}',
    "'--",
    '<script>',
    '%F0%9F%98%80',
  ),
  fc.string({ maxLength: 20 }).map(encodeURIComponent),
)
const paths = fc.oneof(
  fc.constantFrom(
    '/',
    '/prompts',
    '/prompts/vault',
    '/prompts/grade',
    '/render/grade',
    '/render/vault',
    '/ask/grade',
    '/ask/vault',
    '/read/vault',
    '/trace/vault',
    '/openapi.json',
    '/metrics',
    '/health',
    '/session',
    '/mcp',
    '/channels',
    '/approvers',
    '/editions/vault/1',
    '/objects/vault/1/00',
  ),
  fc
    .tuple(
      fc.constantFrom('/', '/prompts/', '/render/', '/ask/', '/editions/', '/objects/', '/reference/', '/assets/'),
      fc.array(nasty, { maxLength: 4 }),
    )
    .map(([begin, steps]) => begin + steps.join('/')),
)
const bodies = fc.oneof(
  fc.constantFrom(
    '{"values":{"note":"x"}}',
    '{"values":{"note":"x"},"channel":"live"}',
    '{"values":{"note":"x"},"edition":1}',
    '{"values":{"note":"x"},"__proto__":{"prompts":"all"}}',
    '{"values":{"__proto__":{"note":"x"}}}',
    '{"values":',
    '['.repeat(9000),
    `{"values":${'{"a":'.repeat(1500)}1${'}'.repeat(1500)}}`,
    `{"values":{"note":"${'x'.repeat(30_000)}"}}`,
    'a gzip bomb',
    'bytes that are no text',
    '{"jsonrpc":"2.0","id":1,"method":"prompts/get","params":{"name":"vault","arguments":{"note":"x"}}}',
    '{"jsonrpc":"2.0","id":1,"method":"initialize","params":{"protocolVersion":"2025-03-26","capabilities":{},"clientInfo":{"name":"x","version":"1"}}}',
  ),
  fc.json().map((text) => text.slice(0, 5000)),
)
/** Bodies that are named, so that a failure can be read. */
const BYTES: Readonly<Record<string, Buffer>> = {
  'a gzip bomb': gzipSync('x'.repeat(5_000_000)),
  'bytes that are no text': Buffer.of(0xff, 0xfe, 0x00),
}
const hosts = fc.constantFrom(
  '127.0.0.1',
  'localhost',
  'localhost:80',
  '[::1]',
  'evil.example',
  'localhost.evil.example',
  '127.0.0.1.evil.example',
  '127.0.0.1@evil.example',
  '0.0.0.0',
  'LOCALHOST',
  'localhost:99999999',
)
const origins = fc.constantFrom(
  undefined,
  undefined,
  'null',
  'https://evil.example',
  'http://localhost.evil.example',
  'http://127.0.0.1',
  'file://',
)
const types = fc.constantFrom(
  'application/json',
  'application/json',
  'text/plain',
  'application/x-www-form-urlencoded',
  'multipart/form-data',
  'application/json; charset=utf-16',
  undefined,
)
/** Who sends it: by a valid token, by one that must not count, or without one. */
const senders = fc.constantFrom('desk', 'desk', 'old', 'wrong', 'near', 'id alone', 'in the address', 'basic', 'none', 'cookie')

test('10,000 hostile requests: nothing is let through, nothing breaks, and no answer has what is not the sender’s', async () => {
  const authorization = (sender: string): Record<string, string> => {
    const [, id = ''] = tokens.vault.split('_')
    switch (sender) {
      case 'desk':
        return { authorization: `Bearer ${tokens.desk}` }
      case 'old':
        return { authorization: `Bearer ${tokens.old}` }
      case 'wrong':
        return { authorization: `Bearer dl_${id}_${'A'.repeat(43)}` }
      case 'near':
        return { authorization: `Bearer ${tokens.vault.slice(0, -1)}${tokens.vault.endsWith('A') ? 'B' : 'A'}` }
      case 'id alone':
        return { authorization: `Bearer dl_${id}_` }
      case 'basic':
        return { authorization: `Basic ${Buffer.from(`x:${tokens.vault}`).toString('base64')}` }
      case 'cookie':
        return { cookie: `dunelight=${'A'.repeat(32)}; token=${tokens.vault}` }
      default:
        return {}
    }
  }
  let count = 0
  await fc.assert(
    fc.asyncProperty(
      fc.record({
        method: fc.constantFrom('GET', 'POST', 'POST', 'PUT', 'DELETE', 'OPTIONS', 'HEAD', 'PATCH'),
        path: paths,
        body: bodies,
        host: hosts,
        origin: origins,
        type: types,
        sender: senders,
        encoding: fc.constantFrom(undefined, undefined, 'gzip', 'br', 'deflate'),
        more: fc.dictionary(
          fc.constantFrom(
            'idempotency-key',
            'accept',
            'x-forwarded-proto',
            'x-forwarded-host',
            'mcp-session-id',
            'if-none-match',
            'x-http-method-override',
          ),
          fc.stringMatching(/^[ -~]{0,30}$/),
        ),
      }),
      async ({ method, path, body, host, origin, type, sender, encoding, more }) => {
        count++
        const hasBody = method === 'POST' || method === 'PUT' || method === 'PATCH'
        const headers = {
          ...more,
          host,
          ...(origin !== undefined && { origin }),
          ...(hasBody && type !== undefined && { 'content-type': type }),
          ...(hasBody && encoding !== undefined && { 'content-encoding': encoding }),
          ...authorization(sender),
        }
        const withToken =
          sender === 'in the address' ? `${path}${path.includes('?') ? '&' : '?'}token=${tokens.vault}&access_token=${tokens.vault}` : path
        const got = await send({ method, path: withToken, headers, ...(hasBody && { body: BYTES[body] ?? body }) })
        const note = [method, path, host, origin, type, sender, got.status, got.text.slice(0, 200)]
        const isServed = ['127.0.0.1', 'localhost', 'localhost:80', '[::1]', 'LOCALHOST'].includes(host)
        if (!isServed) expect([note, got.status === 421 || got.status === 400 || got.status === 0]).toEqual([note, true])
        const isForeign = origin !== undefined && origin !== `http://${host}`
        if (isServed && isForeign) expect([note, [403, 400, 0].includes(got.status)]).toEqual([note, true])
        if (got.status >= 200 && got.status < 300 && sender !== 'desk') {
          // Without a valid token there are the pages, and the word that the service is up.
          const open =
            got.text === '' ||
            /^text\/(html|css|javascript)/.test(String(got.headers['content-type'])) ||
            got.text === '{"status":"up"}' ||
            method === 'DELETE'
          expect([note, open]).toEqual([note, true])
        }
        expect([note, got.status === 500]).toEqual([note, false])
        for (const hidden of [HIDDEN, PASS, tokens.vault, tokens.desk.slice(12), place.folder, 'node_modules'])
          if (got.text.includes(hidden)) expect([note, hidden]).toEqual([note, 'nothing hidden'])
      },
    ),
    { numRuns: times(1500, 10_000), endOnFailure: true },
  )
  expect(count).toBeGreaterThan(1000)
  expect(log.join('\n')).not.toMatch(new RegExp(`${HIDDEN}|${PASS}|${tokens.vault}`))
  // It still serves those who may.
  const headers = { host: 'localhost', 'content-type': 'application/json', authorization: `Bearer ${tokens.vault}` }
  expect((await send({ method: 'POST', path: '/render/vault', headers, body: '{"values":{"note":"x"}}' })).text).toContain(HIDDEN)
  const asked = await send({ method: 'POST', path: '/ask/vault', headers, body: '{"values":{"note":"x"}}' })
  expect(asked.status).toBe(200)
  expect(asked.text).not.toContain(PASS)
}, 600_000)

test('raw bytes: injected headers, broken requests, large headers and slow senders', async () => {
  const raw = (text: string): Promise<string> =>
    new Promise((resolve) => {
      const socket = openSocket(listening.port, '127.0.0.1', () => socket.write(text))
      let got = ''
      socket.on('data', (chunk) => (got += chunk.toString()))
      socket.on('error', () => resolve(got))
      socket.on('close', () => resolve(got))
      setTimeout(() => socket.end(), 300)
    })
  const begin = 'GET /prompts HTTP/1.1\r\nHost: localhost\r\n'
  expect(await raw(`${begin}Authorization: Bearer x\r\nX-A: b\r\n\tHost: evil.example\r\n\r\n`)).toMatch(/^HTTP\/1\.1 4\d\d /)
  expect(await raw(`GET /prompts HTTP/1.1\r\nHost: localhost\r\nHost: evil.example\r\n\r\n`)).toMatch(/^HTTP\/1\.1 4\d\d /)
  expect(await raw(`${begin}X-Large: ${'x'.repeat(40_000)}\r\n\r\n`)).toMatch(/^HTTP\/1\.1 431 /)
  expect(
    await raw(
      'POST /render/grade HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n',
    ),
  ).toMatch(/^HTTP\/1\.1 400 /)
  expect(await raw('GET /prompts HTTP/1.1\r\nHost: \r\n\r\n')).toMatch(/^HTTP\/1\.1 4\d\d /)
  expect(await raw('GET /prompts HTTP/1.0\r\n\r\n')).toMatch(/^HTTP\/1\.1 4\d\d /)
  expect(await raw('\u0000\u0001\u0002 nothing\r\n\r\n')).toMatch(/^HTTP\/1\.1 400 /)
  const echoed = await raw(
    `GET /prompts/%0d%0aSet-Cookie:%20x=1 HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer ${tokens.desk}\r\n\r\n`,
  )
  expect(echoed).toMatch(/^HTTP\/1\.1 404 /)
  expect(echoed).not.toMatch(/^Set-Cookie/im)

  // Senders that begin and never end do not keep others from being served, and are sent away.
  let closed = 0
  const slow: Socket[] = Array.from({ length: 300 }, (_, i) => {
    const socket = openSocket(listening.port, '127.0.0.1', () =>
      socket.write(
        i % 2 === 0
          ? 'GET /prompts HTTP/1.1\r\nHost: local'
          : 'POST /render/grade HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 9999\r\n\r\n{',
      ),
    )
    socket.on('error', () => undefined)
    socket.resume().on('close', () => closed++)
    return socket
  })
  const headers = { host: 'localhost', authorization: `Bearer ${tokens.desk}` }
  expect((await send({ method: 'GET', path: '/prompts', headers })).status).toBe(200)
  if (times(0, 1) === 1) await eventually(() => closed >= 150)
  for (const socket of slow) socket.destroy()
}, 120_000)
