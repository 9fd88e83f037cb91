import { createHash } from 'node:crypto'
import { copyFileSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, describe, expect, test } from '@jest/globals'
import { approveEdition, publishEditions } from '@dunelight/node'
import { connect, memoryCache, Refusal, type AskedPrompt, type Client, type ConnectOptions, type RenderedPrompt } from '@dunelight/client'
import { folderCache } from '@dunelight/client/node'
import { listen, type AskResult, type HttpService, type Listening, type RenderResult } from '@dunelight/serve'
import { useWorkplace } from '../../../test/repository.js'
import { SERVED, testModel, useService } from '../../../test/service.js'
import { approversText, makeKey } from '../../../test/signing.js'

// What a service sends is what the client's types say.
const sent: (asked: AskResult, turns: RenderResult) => [AskedPrompt, RenderedPrompt] = (asked, turns) => [asked, turns]
const heard: (asked: AskedPrompt, turns: RenderedPrompt) => [AskResult, RenderResult] = (asked, turns) => [asked, turns]
expect([sent, heard]).toHaveLength(2)

const place = useWorkplace(SERVED)
const served = useService()
const keys = { hesper: makeKey(), thea: makeKey() }
const LIBRARY = '0a1b2c3d4e5f60718293'
const NOTE = { note: 'Rust on the hinge' }
const clients: Client[] = []
const folder = mkdtempSync(join(tmpdir(), 'dunelight-client-'))
let listening: Listening | undefined

afterEach(async () => {
  for (const client of clients.splice(0)) client.close()
  await listening?.close()
  listening = undefined
  rmSync(folder, { recursive: true, force: true })
})

async function listenAt(service: HttpService, port = 0): Promise<string> {
  listening = await listen(service, { port })
  return `http://127.0.0.1:${listening.port}`
}
async function connected(url: string, options: ConnectOptions): Promise<Client> {
  const client = await connect(url, options)
  clients.push(client)
  return client
}

describe('on the service', () => {
  const speaking = testModel(async (_, { onText }) => {
    for (const text of ['{"heading": "A lan', '{"heading": "A lantern", "wo']) {
      onText?.(text)
      await new Promise((resolve) => setTimeout(resolve, 60))
    }
    return { text: '{"heading": "A lantern", "words": 3}', finish: 'done' }
  })

  test('prompts are rendered, asked in pieces, and replies read', async () => {
    const { file, tokens } = served.callers({ desk: 'prompts: all, operations: [render, ask, read]' })
    const url = await listenAt(await served.open({ library: place.folder, callers: file, model: speaking }))
    const client = await connected(`${url}/`, { token: tokens.desk })
    expect((await client.list()).map(({ name }) => name)).toEqual(['grade', 'label/write', 'plain'])
    expect((await client.prompt('grade').render(NOTE)).turns[0]?.text).toContain('Rust on the hinge')
    let text = ''
    const partials: unknown[] = []
    const asked = await client.prompt('label/write').ask(
      { title: 'Lantern' },
      {
        onPiece: ({ from, text: piece, partial }) => {
          text = text.slice(0, from) + piece
          partials.push(partial)
        },
      },
    )
    expect(asked).toMatchObject({ answer: { heading: 'A lantern', words: 3 }, model: 'test' })
    expect(text).toMatch(/^\{"heading": "A lan/)
    expect(partials[0]).toMatchObject({ heading: expect.stringMatching(/^A lan/) })
    expect(await client.prompt('grade').read('Watch', NOTE)).toMatchObject({ answer: { label: 'watch' }, unsupported: [] })
  })

  test('a refusal has its problems, and a service that is gone is told', async () => {
    const url = await listenAt(await served.open({ library: place.folder, noToken: true, model: 'mock' }))
    const client = await connected(url, {})
    const refusal = (await client
      .prompt('label/write')
      .render({})
      .catch((fault: unknown) => fault)) as Refusal
    expect(refusal).toBeInstanceOf(Refusal)
    expect(refusal).toMatchObject({ status: 400, details: { problems: [{ code: 'value-missing', pointer: '/title' }] } })
    const streamed = await client
      .prompt('nothing')
      .ask({}, { onPiece: () => undefined })
      .catch((fault: unknown) => fault)
    expect(streamed).toMatchObject({ status: 404 })
    await listening?.close()
    listening = undefined
    expect(
      await client
        .prompt('grade')
        .render(NOTE)
        .catch((fault: unknown) => fault),
    ).toMatchObject({ status: 0 })
  })

  test('a key has a question answered once', async () => {
    let asked = 0
    const model = testModel(() => Promise.resolve({ text: asked++ === 0 ? 'sound' : 'watch', finish: 'done' }), { isMock: true })
    const client = await connected(await listenAt(await served.open({ library: place.folder, noToken: true, model })), {})
    const ask = () => client.prompt('grade').ask(NOTE, { idempotencyKey: 'once' })
    expect([await ask(), await ask()]).toMatchObject([{ answer: { label: 'sound' } }, { answer: { label: 'sound' } }])
  })
})

describe('in the own process', () => {
  const publish = async (words: string, more: Parameters<typeof publishEditions>[2] = {}) => {
    place.write('prompts/grade.yaml', SERVED['prompts/grade.yaml'].replace('  - user: |', `  - system: ${words}\n  - user: |`))
    place.commit(words)
    await publishEditions(place.folder, ['grade', 'label/write'], { channel: 'live', ...more })
  }
  /** Two people, one of whom publishes and one of whom approves. */
  const trusting = () => {
    const text = approversText(keys, 'publishers: [hesper]\nrules: [{ needs: 1 }]')
    const file = join(place.folder, '..', 'approvers.yaml')
    writeFileSync(file, text)
    copyFileSync(file, join(place.folder, 'approvers.yaml'))
    return { file, digest: `sha256:${createHash('sha256').update(text).digest('hex')}` }
  }
  const approve = async (number: number) => {
    await approveEdition(place.folder, 'grade', number, keys.thea)
    if (number === 1) await approveEdition(place.folder, 'label/write', number, keys.thea)
  }
  const words = async (client: Client) => {
    const { edition, turns } = await client.prompt('grade').render(NOTE)
    return `${edition}: ${turns[0]?.text}`
  }

  test('a channel that moves changes the wording, and nothing of the values leaves', async () => {
    await publish('First words.')
    const requests: string[] = []
    const service = await served.open({ library: place.folder, channel: 'live', noToken: true })
    const url = await listenAt({
      ...service,
      fetch: (request) => (requests.push(`${request.method} ${new URL(request.url).pathname}`), service.fetch(request)),
    })
    const client = await connected(url, { local: { library: LIBRARY, refreshSeconds: 0.05 } })
    expect(await words(client)).toBe('1: First words.')
    const changed = new Promise<readonly string[]>((resolve) => client.onChange(resolve))
    await publish('Second words.')
    expect(await changed).toEqual(['grade'])
    expect(await words(client)).toBe('2: Second words.')
    const model = () => Promise.resolve({ text: 'Watch', finish: 'done' as const, usage: { sent: 3, received: 1 } })
    expect(await client.prompt('grade').ask(NOTE, { model })).toMatchObject({ answer: { label: 'watch' }, edition: 2, usage: { sent: 3 } })
    expect(await client.prompt('grade').read('Sound')).toMatchObject({ answer: { label: 'sound' } })
    expect(new Set(requests)).toEqual(new Set(['GET /channels', 'GET /editions/grade/1', 'GET /editions/grade/2']))
  })

  test('editions are used without the service, after a restart too, until they are too old', async () => {
    await publish('First words.')
    const cache = folderCache(join(folder, 'kept'))
    const url = await listenAt(await served.open({ library: place.folder, channel: 'live', noToken: true }))
    const local = { library: LIBRARY, cache }
    expect(await words(await connected(url, { local }))).toBe('1: First words.')
    await listening?.close()
    listening = undefined
    const offline = await connected(url, { local })
    expect(offline.refreshFault).toBeInstanceOf(Refusal)
    expect(await words(offline)).toBe('1: First words.')
    // A prompt that was never used was never kept.
    await expect(offline.prompt('label/write').render({ title: 'x' })).rejects.toThrow('cannot be reached')
    const old = await connected(url, { local: { ...local, maxAgeDays: 0 } })
    await expect(words(old)).rejects.toThrow('not checked for more than 0 days')
    const heardOf: Date[] = []
    const lax = await connected(url, { local: { ...local, maxAgeDays: 0, onStale: (at) => heardOf.push(at) } })
    expect(await words(lax)).toBe('1: First words.')
    expect(heardOf).toHaveLength(1)
    await expect(connect(url, { local: { library: LIBRARY } })).rejects.toThrow('cannot be reached')
  })

  test('with the digest of the approvers only approved editions are used, and a revoked one is dropped', async () => {
    const { file, digest } = trusting()
    await publish('First words.', { key: keys.hesper })
    await approve(1)
    const url = await listenAt(await served.open({ library: place.folder, channel: 'live', noToken: true, approvers: { file } }))
    const client = await connected(url, {
      local: { library: LIBRARY, approversDigest: digest, cache: folderCache(join(folder, 'signed')) },
    })
    expect(await words(client)).toBe('1: First words.')
    await publish('Second words.', { key: keys.hesper })
    await client.refresh()
    expect(client.refreshFault?.message).toContain('is not approved')
    expect(await words(client)).toBe('1: First words.')
    await approve(2)
    await client.refresh()
    expect(await words(client)).toBe('2: Second words.')
    await approveEdition(place.folder, 'grade', 2, keys.thea, { action: 'revoke' })
    await client.refresh()
    await expect(words(client)).rejects.toThrow('was revoked')
    await expect(connect(url, { local: { library: LIBRARY, approversDigest: `sha256:${'0'.repeat(64)}` } })).rejects.toThrow(
      'their digest is',
    )
    await expect(connect(url, { local: { library: 'another', approversDigest: digest } })).rejects.toThrow('another library')
  })

  test('what a service sends is not trusted: older channels, altered editions, moved approvals', async () => {
    const { file, digest } = trusting()
    await publish('First words.', { key: keys.hesper })
    await approve(1)
    const channels = join(place.folder, 'editions/channels.json')
    const old = readFileSync(channels)
    await publish('Second words.', { key: keys.hesper })
    await approve(2)
    const service = await served.open({ library: place.folder, channel: 'live', noToken: true, approvers: { file } })
    const change: { path?: RegExp; to?: (text: string) => string } = {}
    const url = await listenAt({
      ...service,
      fetch: async (request) => {
        if (!change.path?.test(new URL(request.url).pathname)) return service.fetch(request)
        request.headers.delete('if-none-match')
        const response = await service.fetch(request)
        return new Response(change.to?.(await response.text()), { status: 200 })
      },
    })
    const cache = folderCache(join(folder, 'hostile'))
    const local = { library: LIBRARY, approversDigest: digest, cache }
    const client = await connected(url, { local })
    expect(await words(client)).toBe('2: Second words.')
    const refused = async (path: RegExp, to: (text: string) => string) => {
      Object.assign(change, { path, to })
      await client.refresh()
      const why = client.refreshFault?.message
      expect(await words(client)).toBe('2: Second words.')
      // A new client that knows nothing refuses as well, unless only its memory could tell.
      const fresh = await connect(url, { local: { ...local, cache: memoryCache() } })
        .then(words)
        .catch((fault: unknown) => (fault as Error).message)
      return [why, fresh]
    }
    expect((await refused(/channels/, () => old.toString()))[0]).toContain('2 was seen before')
    for (const why of await refused(/channels/, (text) => text.replace(/"serial": 2/, '"serial": 3')))
      expect(why).toContain('its signature is wrong')
    for (const why of await refused(/editions/, (text) => text.replace('Second words', 'Other words')))
      expect(why).toContain('does not fit the digest')
    for (const why of await refused(/editions/, (text) => JSON.stringify({ ...(JSON.parse(text) as object), statements: [] })))
      expect(why).toContain('is not approved')
    expect((await refused(/editions/, () => 'no JSON'))[1]).toMatch(/JSON/)
    Object.assign(change, { path: undefined })
    await client.refresh()
    expect(client.refreshFault).toBe(undefined)
    // What was kept is not trusted either.
    for (const name of readdirSync(join(folder, 'hostile'))) {
      const path = join(folder, 'hostile', name)
      writeFileSync(path, readFileSync(path, 'utf8').replaceAll('Second words', 'Other words'))
    }
    await listening?.close()
    listening = undefined
    const offline = await connected(url, { local })
    await expect(words(offline)).rejects.toThrow('does not fit the digest')
  })
})
