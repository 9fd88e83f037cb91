import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach } from '@jest/globals'
import type { Model } from 'dunelight'
import { DEFAULT_REQUEST_LIMITS, type ReadyModel } from '@dunelight/node'
import { createService, type HttpService, type HttpServiceOptions } from '@dunelight/serve'
import { newToken } from '@dunelight/serve/host'

/** A service of a test's own, and requests to it. */
export interface TestService {
  readonly state: string
  /** Opens a service; it ends with the test. */
  readonly open: (options: Omit<HttpServiceOptions, 'state'> & { readonly state?: string }) => Promise<HttpService>
  /** Writes a file of callers; returns it, and the token of each caller. */
  readonly callers: <N extends string>(
    rights: Readonly<Record<N, string>>,
  ) => { readonly file: string; readonly tokens: Readonly<Record<N, string>> }
}

export function useService(): TestService {
  let folder: string | undefined
  const opened: HttpService[] = []
  const own = () => (folder ??= mkdtempSync(join(tmpdir(), 'dunelight-serve-')))
  afterEach(async () => {
    for (const service of opened.splice(0)) await service.close()
    if (folder !== undefined) rmSync(folder, { recursive: true, force: true })
    folder = undefined
  })
  return {
    get state() {
      return join(own(), 'state')
    },
    open: async (options) => {
      const service = await createService({ state: join(own(), 'state'), ...options })
      opened.push(service)
      return service
    },
    callers: (rights) => {
      const names = Object.keys(rights) as (keyof typeof rights)[]
      const made = names.map((name, i) => ({ name, id: `caller0${i}`, ...newToken(`caller0${i}`), more: rights[name] }))
      const file = join(own(), 'callers.yaml')
      writeFileSync(
        file,
        `callers:\n${made.map(({ name, id, digest, more }) => `  ${name}: { id: ${id}, tokens: ["${digest}"], ${more} }\n`).join('')}`,
      )
      return { file, tokens: Object.fromEntries(made.map(({ name, token }) => [name, token])) as Record<keyof typeof rights, string> }
    },
  }
}

export interface SentRequest {
  readonly method?: string
  readonly body?: unknown
  readonly token?: string
  readonly headers?: Readonly<Record<string, string>>
}

/** What came back. */
export interface Received {
  readonly status: number
  readonly headers: Headers
  readonly text: string
  /** The body as JSON. */
  readonly data: Record<string, unknown>
}

/** Sends a request to a service without a network. */
export async function send(
  { fetch }: Pick<HttpService, 'fetch'>,
  path: string,
  { method, body, token, headers = {} }: SentRequest = {},
): Promise<Received> {
  const all = {
    ...(body !== undefined && { 'content-type': 'application/json' }),
    ...(token !== undefined && { authorization: `Bearer ${token}` }),
    ...headers,
  }
  const sent = body === undefined ? undefined : typeof body === 'string' ? body : JSON.stringify(body)
  const request = new Request(`http://localhost${path}`, {
    method: method ?? (body === undefined ? 'GET' : 'POST'),
    headers: all,
    ...(sent !== undefined && { body: sent }),
  })
  const response = await fetch(request)
  const text = await response.text()
  const isJson = (response.headers.get('content-type') ?? '').includes('json')
  return { status: response.status, headers: response.headers, text, data: isJson ? (JSON.parse(text) as Record<string, unknown>) : {} }
}

/** The events of a stream. */
export function eventsIn(text: string): { readonly event: string; readonly data: Record<string, unknown> }[] {
  return [...text.matchAll(/^event: (\w+)\ndata: (.*)$/gm)].map(([, event = '', data = '{}']) => ({
    event,
    data: JSON.parse(data) as Record<string, unknown>,
  }))
}

/** A model of the test, in place of those of models.yaml. */
export function testModel(model: Model, more: Partial<ReadyModel> = {}): ReadyModel {
  const limits = { ...DEFAULT_REQUEST_LIMITS, attempts: 1 }
  return { name: 'test', model, isMock: false, identity: 'test', concurrency: 1000, limits, price: undefined, ...more }
}

/** A library with one prompt of each sort that a service tells apart. */
export const SERVED = {
  'dunelight.yaml': 'title: A small museum\nid: 0a1b2c3d4e5f60718293\n',
  'prompts/label/write.yaml':
    'title: Write a label\nabout: The card beside an object.\ntags: [label]\ntool: true\nvariables:\n  title: { type: text, untrusted: true }\n  audience: { type: choice, of: [adult, child], default: adult }\n  sizes: { type: list of integer, optional: true }\noutput: card\nturns:\n  - system: Write for {audience}.\n  - user: |\n      {title as fenced}\n\n      ~ use output\n',
  'prompts/grade.yaml':
    'title: Grade a note\ntags: [survey]\ntool: true\nvariables: { note: { type: text, untrusted: true } }\noutput: grade\nturns:\n  - user: |\n      {note as fenced}\n\n      ~ use output\n',
  'prompts/plain.yaml': 'title: Plain words\ntags: [label]\ntrusted: true\nvariables: { title: text }\nturns: [{ user: "Say {title}." }]\n',
  'prompts/open.yaml': 'title: An open text\nvariables: { title: text }\nturns: [{ user: "Say {title}." }]\n',
  'outputs/card.yaml': 'kind: fields\nfields: { heading: text, words: { type: integer, optional: true } }\n',
  'outputs/grade.yaml': 'kind: one-of\nof: [sound, watch]\n',
} as const

/** The lines of a library's audit, in the order in which they were written. */
export function readAuditLinesOf(library: string): Record<string, unknown>[] {
  const folder = join(library, 'audit')
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((path) => path.endsWith('.jsonl'))
  return files.flatMap((path) =>
    readFileSync(join(folder, path), 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>),
  )
}

/** Waits until something is so; the test fails if it never is. */
export async function eventually(isSo: () => boolean | Promise<boolean>): Promise<void> {
  for (let tries = 0; tries < 1000; tries++) {
    if (await isSo()) return
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
  throw new Error('it never was so')
}
