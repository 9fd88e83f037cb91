import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import { Client } from '@modelcontextprotocol/sdk/client/index.js'
import { StdioClientTransport } from '@modelcontextprotocol/sdk/client/stdio.js'
import { StreamableHTTPClientTransport } from '@modelcontextprotocol/sdk/client/streamableHttp.js'
import { PromptListChangedNotificationSchema, ToolListChangedNotificationSchema } from '@modelcontextprotocol/sdk/types.js'
import { listen, type Listening } from '@dunelight/serve'
import { COMMAND } from '../../../test/command.js'
import { useWorkplace } from '../../../test/repository.js'
import { eventually, SERVED, send, testModel, useService } from '../../../test/service.js'

const EXTRA = {
  'prompts/list.yaml':
    'title: A list\ntool: true\nvariables:\n  notes: { type: list of text, untrusted: true }\n  who: { type: record, untrusted: true, fields: { name: text, age: { type: integer, optional: true } } }\n  on: { type: date, optional: true }\n  gently: { type: boolean, default: true }\nturns:\n  - system: Be kind.\n  - user: |\n      {notes as fenced}\n\n      {who as fenced}\n  - assistant: Well,\n',
  'prompts/tones.yaml':
    'title: Tones\nvariables:\n  tones: { type: list of choice, of: [calm, curt, warm] }\n  tone: { type: choice, of: [calm, curt, warm], optional: true }\nturns: [{ user: "{tones as list}" }]\n',
  'prompts/müde/weg.yaml':
    'title: A name of its own\ntool: true\nvariables: { note: { type: text, untrusted: true } }\nturns: [{ user: "{note as fenced}" }]\n',
}
const place = useWorkplace({ ...SERVED, ...EXTRA })
const served = useService()

/** Everything that a client of the protocol can do, over one transport. */
function drives(connect: () => Promise<{ readonly client: Client; readonly isMock: boolean }>): void {
  let client: Client
  let isMock = false
  beforeEach(async () => {
    ;({ client, isMock } = await connect())
  })

  test('prompts are listed with their arguments', async () => {
    const { prompts } = await client.listPrompts()
    expect(prompts.map(({ name }) => name)).toEqual(['grade', 'label/write', 'list', 'müde/weg', 'plain', 'tones'])
    expect(prompts[1]).toMatchObject({
      title: 'Write a label',
      description: 'The card beside an object.',
      arguments: [
        { name: 'title', required: true },
        { name: 'audience', description: 'one of adult, child', required: false },
        { name: 'sizes', required: false },
      ],
    })
  })

  test('a prompt is rendered: the system turn comes as a message that says so, and the exact turns beside', async () => {
    const { messages, _meta } = await client.getPrompt({
      name: 'list',
      arguments: { notes: 'one; two', who: '{"name": "Thea", "age": 41}', on: '2026-11-29', gently: 'no' },
    })
    expect(messages).toMatchObject([
      { role: 'user', content: { type: 'text', text: 'Be kind.', _meta: { 'dunelight/role': 'system' } } },
      { role: 'user', content: { text: expect.stringContaining('one, two') } },
      { role: 'assistant', content: { text: 'Well,' } },
    ])
    expect(_meta?.['dunelight/turns']).toMatchObject([{ role: 'system' }, { role: 'user' }, { role: 'assistant' }])
    const asJson = await client.getPrompt({ name: 'list', arguments: { notes: '["one","two"]', who: '{"name": "Thea", "age": 41}' } })
    expect(asJson._meta?.['dunelight/fingerprint']).toBe(_meta?.['dunelight/fingerprint'])
  })

  test.each<[string, Record<string, string>, RegExp]>([
    ['no JSON', { notes: 'a', who: 'Thea' }, /^MCP error -32602: "who" must be a record, as JSON$/],
    ['no date', { notes: 'a', who: '{"name":"T"}', on: 'soon' }, /-32602: "on" must be/],
    ['a missing one', { notes: 'a' }, /-32602: "who" is missing/],
    ['an unknown one', { nots: 'a' }, /-32602: unknown argument "nots"; arguments: notes, who/],
  ])('arguments with %s are invalid parameters', async (_, args, message) => {
    await expect(client.getPrompt({ name: 'list', arguments: args })).rejects.toThrow(message)
  })

  test('an unknown prompt is an invalid parameter, with the nearest name', async () => {
    await expect(client.getPrompt({ name: 'grad' })).rejects.toThrow('unknown prompt "grad"; did you mean "grade"?')
  })

  test('arguments are completed: choices, those of optional arguments, the last of a list, yes and no', async () => {
    const complete = async (name: string, argument: string, value: string) =>
      (await client.complete({ ref: { type: 'ref/prompt', name }, argument: { name: argument, value } })).completion.values
    expect(await complete('label/write', 'audience', 'ch')).toEqual(['child'])
    expect(await complete('tones', 'tone', 'C')).toEqual(['calm', 'curt'])
    expect(await complete('tones', 'tones', 'calm; w')).toEqual(['calm; warm'])
    expect(await complete('list', 'gently', '')).toEqual(['yes', 'no'])
    expect(await complete('grade', 'note', 'R')).toEqual([])
  })

  test('tools have schemas of objects and structured content that fits them', async () => {
    const { tools } = await client.listTools()
    expect(tools.map(({ name }) => name)).toEqual(['grade', 'label.write', 'list', 'm_fc_de.weg'])
    expect(tools.map(({ outputSchema }) => outputSchema?.type)).toEqual(['object', 'object', 'object', 'object'])
    // The client checks structured content by the schema of the output.
    const graded = await client.callTool({ name: 'grade', arguments: { note: 'Rust on the hinge' } })
    expect(graded['structuredContent']).toEqual({ label: expect.stringMatching(/^(sound|watch)$/) })
    const text = await client.callTool({ name: 'm_fc_de.weg', arguments: { note: 'Rust' } })
    expect(text['structuredContent']).toEqual({ answer: expect.any(String) })
    expect((text['_meta'] as object | undefined)?.['dunelight/mock' as never]).toBe(isMock || undefined)
    await expect(client.callTool({ name: 'grade', arguments: { note: 7 } })).rejects.toThrow('-32602: "note" must be text')
    await expect(client.callTool({ name: 'plain', arguments: { title: 'x' } })).rejects.toThrow('unknown tool "plain"')
  })

  test('a list that changes is told, and the new list is there', async () => {
    const changed = new Set<string>()
    client.setNotificationHandler(PromptListChangedNotificationSchema, () => void changed.add('prompts'))
    client.setNotificationHandler(ToolListChangedNotificationSchema, () => void changed.add('tools'))
    // A stream for notifications may open after the first answer.
    await client.listPrompts()
    await new Promise((resolve) => setTimeout(resolve, 300))
    place.write('prompts/new.yaml', 'title: New\ntool: true\nturns: [{ user: Hello. }]\n')
    for (let tries = 0; tries < 1000 && changed.size < 2; tries++) await new Promise((resolve) => setTimeout(resolve, 20))
    expect([...changed].sort()).toEqual(['prompts', 'tools'])
    expect((await client.listPrompts()).prompts.map(({ name }) => name)).toContain('new')
  })
}

describe('over standard input and output', () => {
  let client: Client | undefined
  afterEach(() => client?.close())
  drives(async () => {
    client = new Client({ name: 'test', version: '1' })
    const env = { PATH: process.env['PATH'] ?? '', DUNELIGHT_STATE: served.state }
    const args = [COMMAND, 'serve', place.folder, '--stdio', '--model', 'mock']
    await client.connect(new StdioClientTransport({ command: process.execPath, args, env, stderr: 'ignore' }))
    return { client, isMock: true }
  })
})

describe('over HTTP', () => {
  let listening: Listening | undefined
  const connected = async (options: Parameters<typeof served.open>[0], token?: string) => {
    listening = await listen(await served.open(options), { port: 0 })
    return clientAt(listening, token)
  }
  const clientAt = async ({ port }: Listening, token?: string) => {
    const client = new Client({ name: 'test', version: '1' })
    const requestInit = token === undefined ? {} : { headers: { authorization: `Bearer ${token}` } }
    clients.push(client)
    await client.connect(new StreamableHTTPClientTransport(new URL(`http://127.0.0.1:${port}/mcp`), { requestInit }))
    return client
  }
  describe('every method', () =>
    drives(async () => ({ client: await connected({ library: place.folder, noToken: true, model: 'mock' }), isMock: true })))
  const clients: Client[] = []
  afterEach(async () => {
    for (const client of clients.splice(0)) await client.close()
    await listening?.close()
    listening = undefined
  })

  test('a tool tells its progress, and ends when it is cancelled', async () => {
    let isAborted = false
    const model = testModel((_, { signal, onText }) => {
      let text = ''
      const clock = setInterval(() => onText?.((text += 'word ')), 10)
      return new Promise((_, reject) =>
        (signal as unknown as EventTarget).addEventListener('abort', () => {
          clearInterval(clock)
          isAborted = true
          reject(new Error('gone'))
        }),
      )
    })
    const client = await connected({ library: place.folder, noToken: true, model })
    const cancel = new AbortController()
    const progress: number[] = []
    const call = client.callTool({ name: 'm_fc_de.weg', arguments: { note: 'x' } }, undefined, {
      signal: cancel.signal,
      onprogress: (told) => {
        progress.push(told.progress)
        if (progress.length === 3) cancel.abort('enough')
      },
    })
    await expect(call).rejects.toThrow('enough')
    expect(progress).toEqual([...progress].sort((a, b) => a - b))
    await eventually(() => isAborted)
  })

  test('a reply that cannot be used is a result that says so, for the model that called', async () => {
    const client = await connected({
      library: place.folder,
      noToken: true,
      model: testModel(() => Promise.resolve({ text: 'no idea', finish: 'done' })),
    })
    expect(await client.callTool({ name: 'grade', arguments: { note: 'x' } })).toMatchObject({ isError: true, content: [{ type: 'text' }] })
  })

  test('a long list comes in pages', async () => {
    for (let i = 0; i < 120; i++)
      place.write(`prompts/many/p${String(i).padStart(3, '0')}.yaml`, 'title: One of many\nturns: [{ user: Hello. }]\n')
    const client = await connected({ library: place.folder, noToken: true })
    const names: string[] = []
    let cursor: string | undefined
    do {
      const page = await client.listPrompts(cursor === undefined ? {} : { cursor })
      names.push(...page.prompts.map(({ name }) => name))
      cursor = page.nextCursor
    } while (cursor !== undefined)
    expect(names).toHaveLength(126)
    expect(new Set(names).size).toBe(126)
  })

  test('a session belongs to its caller, and needs a token at every request', async () => {
    const { file, tokens } = served.callers({ a: 'prompts: [grade], operations: [render, ask]', b: 'prompts: all' })
    const service = await served.open({ library: place.folder, callers: file })
    listening = await listen(service, { port: 0 })
    await expect(clientAt(listening)).rejects.toThrow()
    const a = await clientAt(listening, tokens.a)
    expect((await a.listPrompts()).prompts.map(({ name }) => name)).toEqual(['grade'])
    const session = (a.transport as StreamableHTTPClientTransport).sessionId ?? ''
    const listed = { jsonrpc: '2.0', id: 1, method: 'prompts/list' }
    const headers = { 'mcp-session-id': session, accept: 'application/json, text/event-stream' }
    expect((await send(service, '/mcp', { body: listed, token: tokens.b, headers })).status).toBe(404)
    expect((await send(service, '/mcp', { body: listed, headers })).status).toBe(401)
    expect((await (await clientAt(listening, tokens.b)).listTools()).tools).toEqual([])
    await a.close()
  })
})
