import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type RequestListener } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Secrets, visible } from '@dunelight/node/host'
import { dunelightServed } from '../../../test/command.js'

const SECRET = 'heron/in=the+marsh "at 4711"'
const folder = mkdtempSync(join(tmpdir(), 'dunelight-secrets-'))
const HOUSE = join(folder, 'house')

beforeAll(() => cpSync('demo/marram-house', HOUSE, { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) }))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

/** All that a service could send back of a secret: as it is, and in each way of writing it. */
function ways(secret: string): string[] {
  const base64 = (text: string) => Buffer.from(text).toString('base64')
  return [
    secret,
    base64(secret),
    base64(`keeper:${secret}`),
    encodeURIComponent(secret),
    JSON.stringify(secret).slice(1, -1),
    Buffer.from(secret).toString('hex'),
    secret.slice(0, 12),
    secret.slice(5, 16),
    `${secret.slice(0, 14)}\n  ${secret.slice(14)}`,
  ]
}

/** Long enough to be recognised in other texts. */
const PARTS = ways(SECRET).flatMap((way) => (way === ways(SECRET)[2] ? [way.slice(-12, -3)] : [way.slice(0, 9), way.slice(-9)]))
const holdsSecret = (text: string) => PARTS.filter((part) => text.includes(part) || text.includes(JSON.stringify(part).slice(1, -1)))

async function served<T>(listener: RequestListener, use: (address: string) => Promise<T>): Promise<T> {
  const server = createServer(listener)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  try {
    return await use(`http://127.0.0.1:${(server.address() as AddressInfo).port}/ask`)
  } finally {
    server.close()
    server.closeAllConnections()
  }
}

async function ask(...words: string[]): Promise<string> {
  const { out, err } = await dunelightServed({ MARSH: SECRET }, 'ask', HOUSE, ...words)
  return out + err
}

const filesBelow = (path: string) =>
  readdirSync(path, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))

type Echo = (header: string) => { readonly status: number; readonly headers?: Record<string, string>; readonly body: string }

const ECHOES: Readonly<Record<string, Echo>> = {
  'a 400': (header) => ({ status: 400, body: `bad header: ${header}` }),
  'a 401': (header) => ({ status: 401, body: JSON.stringify({ error: `unknown key ${header}` }) }),
  'a 500': (header) => ({ status: 500, body: header }),
  'a redirect': (header) => ({ status: 302, headers: { location: `/login?key=${encodeURIComponent(header)}` }, body: '' }),
  'the key of an object': (header) => ({ status: 200, body: JSON.stringify({ [header]: 1 }) }),
  'a broken answer': (header) => ({ status: 200, body: `{"said": ${header}` }),
  'a reply': (header) => ({ status: 200, body: JSON.stringify({ said: ways(header).join(' | ') }) }),
  'a reply in escapes': (header) => ({
    status: 200,
    body: `{"said":"${Array.from(header, (text) => `\\u${text.charCodeAt(0).toString(16).padStart(4, '0')}`).join('')}"}`,
  }),
  'fields of a reply': (header) => ({
    status: 200,
    body: JSON.stringify({ said: JSON.stringify({ heading: header, body: `${header} `.repeat(9), keywords: [header] }) }),
  }),
}

describe('a secret of the environment', () => {
  test.each(Object.entries(ECHOES))('that comes back in %s stands nowhere', async (_, echo) => {
    let received = 0
    const all = await served(
      (request, response) => {
        request.resume()
        request.on('end', () => {
          received++
          const { status, headers, body } = echo(String(request.headers['x-pass']))
          response.writeHead(status, { 'content-type': 'application/json', ...headers }).end(body)
        })
      },
      async (address) => {
        writeFileSync(
          join(HOUSE, 'models.yaml'),
          `models:\n  marsh: { url: "${address}", answer: /said, attempts: 1, headers: { x-pass: "{env.MARSH}", x-again: "Basic {env.MARSH}" } }\n`,
        )
        const once = await ask('label/write', '--records', join(HOUSE, 'data/objects.csv'), '--record', 'MH-0007', '--fresh')
        return (
          once + (await ask('label/write', '--records', join(HOUSE, 'data/objects.csv'), '--take', '3', '--fresh', '--corrections', '1'))
        )
      },
    )
    expect(received).toBeGreaterThan(0)
    expect(all).not.toContain('this is a bug')
    expect([all, holdsSecret(all)]).toEqual([all, []])
    for (const path of filesBelow(folder)) {
      const text = readFileSync(path, 'utf8')
      expect([path, holdsSecret(text), holdsSecret(text).length > 0 ? text.slice(0, 500) : '']).toEqual([path, [], ''])
    }
  })

  test('is redacted however it is written, and nothing else is', () => {
    const secrets = new Secrets()
    secrets.add(SECRET)
    for (const way of ways(SECRET)) {
      const redacted = secrets.redact(`before ${way} after`)
      expect(holdsSecret(redacted)).toEqual([])
      expect(redacted).toMatch(/^before [^]*\[secret\][^]* after$/)
    }
    const page = readFileSync('README.md', 'utf8')
    expect(secrets.redact(page)).toBe(page)
    expect(Buffer.from(secrets.redactBytes(Buffer.from(`é ${SECRET} é`))).toString()).toBe('é [secret] é')
  })

  test('is redacted as a whole where it is short', () => {
    const secrets = new Secrets()
    secrets.add('heron')
    expect(secrets.redact('the heron, aGVyb24= and heroes')).toBe('the [secret], [secret]= and heroes')
  })
})

test('controls of a terminal are made visible, and line breaks and tabs stay', () => {
  expect(visible('a\u001b[31mb\u0007\u009b2J\u202Ec\td\r\ne\rf\n')).toBe('a␛[31mb␇<U+009B>2J<U+202E>c\td\r\ne␍f\n')
})
