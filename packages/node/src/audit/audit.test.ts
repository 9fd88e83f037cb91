import { appendFileSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals'
import { libraryFrom, ProblemError, type Library, type Model, type Problem } from 'dunelight'
import {
  askOnce,
  AuditLog,
  auditLines,
  openLibrary,
  openLibraryFor,
  publishEditions,
  readyModel,
  verifyAudit,
  type AuditLine,
} from '@dunelight/node'
import { pruneAudit } from '@dunelight/node/host'
import { SMALL, useWorkplace } from '../../../../test/repository.js'

const LIBRARY = '0a1b2c3d4e5f60718293'
const place = useWorkplace({
  ...SMALL,
  'dunelight.yaml': `${SMALL['dunelight.yaml']}audit: { checkpoints: ../checkpoints.jsonl, store-values: true, retention: 30 }\n`,
})
const checkpoints = () => join(place.folder, '../checkpoints.jsonl')
const model: Model = ({ turns }) =>
  Promise.resolve({ text: `About: ${turns[0]?.text ?? ''}`, finish: 'done', usage: { sent: 7, received: 3 } })
const servers: Server[] = []

beforeEach(() => {
  process.env['DUNELIGHT_AUDIT_KEY'] = 'a key of this test alone'
})
afterEach(() => {
  delete process.env['DUNELIGHT_AUDIT_KEY']
  jest.useRealTimers()
  for (const server of servers.splice(0)) server.close()
})

async function opened(library?: Library, options = {}): Promise<{ log: AuditLog; library: Library }> {
  const own = library ?? (await openLibrary(place.folder))
  const log = AuditLog.of(place.folder, own, { caller: 'letters', ...options })
  if (!log) throw new Error('there is no audit')
  own.audit(log.sink)
  return { log, library: own }
}

/** Asks so often, and closes the log. */
async function ask(count: number): Promise<void> {
  const { log, library } = await opened()
  for (let i = 0; i < count; i++) await library.prompt('label').ask({ title: `Tide clock ${i}` }, { model })
  await log.close()
}

async function lines(): Promise<AuditLine[]> {
  const all: AuditLine[] = []
  for await (const { line } of auditLines(place.folder)) if (line) all.push(line)
  return all
}

const files = () =>
  readdirSync(place.pathOf('audit'))
    .filter((name) => /^\d/.test(name))
    .sort()
    .map((day) => place.pathOf(`audit/${day}/${readdirSync(place.pathOf(`audit/${day}`)).find((name) => name.endsWith('.jsonl'))!}`))
const verify = (withCheckpoints = true) =>
  verifyAudit(place.folder, { library: LIBRARY, ...(withCheckpoints && { checkpoints: checkpoints() }) })
const codes = (problems: readonly Problem[]) => problems.map(({ code }) => code)

describe('a program that audits', () => {
  test('has a line on the disk before it has the reply, and one for each rendering', async () => {
    const { log, library } = await opened()
    const rendering = library.prompt('label').render({ title: 'Storm lantern' })
    const answer = await library.prompt('label').ask({ title: 'Storm lantern' }, { model })
    expect(answer.text).toContain('Storm lantern')
    const told = await lines()
    expect(told).toMatchObject([
      {
        seq: 1,
        previous: null,
        operation: 'render',
        prompt: 'label',
        caller: 'letters',
        fingerprint: rendering.fingerprint,
        status: 'done',
      },
      { seq: 2, operation: 'ask', fingerprint: rendering.fingerprint, requests: 1, sent: 7, received: 3, status: 'done' },
    ])
    // Equal values have equal marks, and the values themselves stand nowhere in the line.
    expect(told[0]?.values).toBe(told[1]?.values)
    expect(JSON.stringify(told)).not.toContain('Storm')
    await log.close()
    expect(await verify()).toMatchObject({ lines: 2, writers: 1, checkpoints: 1, uncovered: 0, problems: [] })
    // A log that was closed takes a place again.
    await library.prompt('label').ask({ title: 'Bell' }, { model })
    await log.close()
    expect(await verify()).toMatchObject({ lines: 3, writers: 1, checkpoints: 2, problems: [] })
  })

  test('a model that fails, a reply that cannot be used, values that cannot be rendered', async () => {
    place.write('outputs/card.yaml', 'title: Card\nkind: fields\nfields: { heading: text }\n')
    place.write(
      'prompts/card.yaml',
      'title: Card\noutput: card\nvariables: { title: { type: text, max-length: 5, trusted: true } }\nturns: [{ user: "{title}" }]\n'.replace(
        ', trusted: true',
        '',
      ),
    )
    const { log, library } = await opened()
    await library.prompt('card').ask({ title: 'Bell' }, { model, corrections: 1 })
    const thrown: unknown = await library
      .prompt('label')
      .ask({ title: 'Bell' }, { model: () => Promise.reject(new Error('gone')) })
      .catch((fault: unknown) => fault)
    expect(thrown).toEqual(new Error('gone'))
    await log.close()
    expect(await lines()).toMatchObject([
      { status: 'rejected', requests: 2, problems: ['reply-without-json'] },
      { status: 'failed', requests: 0 },
    ])
  })

  test('stores what was sent and what came back in files of their own, masked as it was sent, until the retention time ends', async () => {
    place.write('prompts/letter.yaml', 'title: Letter\nvariables: { mail: text }\nturns: [{ user: "Write to {mail as masked}." }]\n')
    const { log, library } = await opened()
    await library.prompt('letter').ask({ mail: 'thea@sandmouth.example' }, { model })
    await log.close()
    const [day] = readdirSync(place.pathOf('audit')).filter((name) => /^\d/.test(name))
    const stored = place.pathOf(`audit/${day!}/stored`)
    const text = readFileSync(join(stored, readdirSync(stored)[0]!), 'utf8')
    expect(text).toContain('Write to [email 1].')
    expect(text).not.toContain('thea@')
    jest.useFakeTimers({
      now: Date.now() + 40 * 24 * 60 * 60_000,
      doNotFake: ['nextTick', 'setImmediate', 'setTimeout', 'setInterval', 'clearInterval', 'queueMicrotask', 'performance'],
    })
    mkdirSync(place.pathOf('answers'))
    writeFileSync(
      place.pathOf('answers/cache.jsonl'),
      `${JSON.stringify({ key: 'a', at: '2020-01-01T00:00:00.000Z' })}\n${JSON.stringify({ key: 'b', at: new Date().toISOString() })}\n`,
    )
    expect(await pruneAudit(place.folder, 30)).toEqual({ exchanges: 1, answers: 1 })
    expect(readFileSync(place.pathOf('answers/cache.jsonl'), 'utf8')).toContain('"b"')
    expect(existsSync(stored)).toBe(false)
    expect((await verify()).problems).toEqual([])
  })

  test('names the edition, and the wording', async () => {
    const [published] = (await publishEditions(place.folder, ['label'])).published
    const { log, library } = await opened(await openLibraryFor(place.folder, 'label@1'))
    const prepared = library.prompt('label').prepare({ title: 'Bell' })
    await askOnce({ library, folder: place.folder, prompt: 'label', prepared, record: '1', model: readyModel(library, 'label') })
    await log.close()
    expect(await lines()).toMatchObject([{ operation: 'ask', at: 'label@1', edition: published!.digest, model: 'mock' }])
  })

  test('without a key, without an id: nothing is asked', async () => {
    delete process.env['DUNELIGHT_AUDIT_KEY']
    const library = await openLibrary(place.folder)
    const prepared = library.prompt('label').prepare({ title: 'Bell' })
    const asked = askOnce({ library, folder: place.folder, prompt: 'label', prepared, record: '1', model: readyModel(library, 'label') })
    const fault: unknown = await asked.catch((thrown: unknown) => thrown)
    expect(fault instanceof ProblemError && codes(fault.problems)).toEqual(['audit-key-missing'])
    expect(AuditLog.of(place.folder, libraryFrom(SMALL))).toBeUndefined()
  })
})

describe('the chain', () => {
  test('goes on over processes, days and a clock that goes back', async () => {
    const fake = (now: string) =>
      jest.useFakeTimers({
        now: new Date(now),
        doNotFake: ['nextTick', 'setImmediate', 'setTimeout', 'setInterval', 'clearInterval', 'queueMicrotask', 'performance'],
      })
    fake('2026-11-28T23:59:00Z')
    await ask(2)
    fake('2026-11-29T00:01:00Z')
    await ask(1)
    fake('2026-11-28T12:00:00Z')
    await ask(1)
    expect(files()).toHaveLength(2)
    expect((await lines()).map(({ seq }) => seq)).toEqual([1, 2, 3, 4])
    const { problems } = await verify()
    expect(codes(problems)).toEqual(['audit-clock-back'])
  })

  test('a line that was not written to its end is kept, and the next one has its digest', async () => {
    await ask(3)
    const [file] = files()
    const whole = readFileSync(file!, 'utf8')
    writeFileSync(file!, whole.slice(0, -20))
    // The checkpoint had that line: its loss is found.
    expect(codes((await verify()).problems)).toEqual(['audit-torn', 'audit-lines-missing'])
    expect(codes((await verify(false)).problems)).toEqual(['audit-torn'])
    rmSync(checkpoints())
    await ask(1)
    expect((await lines()).map(({ operation, seq }) => `${seq} ${operation}`)).toEqual(['1 ask', '2 ask', '3 torn', '4 ask'])
    expect(codes((await verify()).problems)).toEqual(['audit-torn'])
  })

  test('two processes have a chain each, and a process that ended leaves its own to the next', async () => {
    const [first, second] = [await opened(), await opened()]
    await Promise.all(
      [first, second].flatMap(({ library }) => [1, 2, 3].map((i) => library.prompt('label').ask({ title: String(i) }, { model }))),
    )
    await first.log.close()
    await second.log.close()
    await ask(1)
    expect(await verify()).toMatchObject({ writers: 2, lines: 7, uncovered: 0, problems: [] })
  })

  test.each<[string, (all: string[]) => string[], string[]]>([
    ['removed', (all) => all.toSpliced(2, 1), ['audit-lines-missing']],
    ['removed from the beginning', (all) => all.slice(2), ['audit-lines-missing']],
    ['removed from the end', (all) => all.slice(0, -2), ['audit-lines-missing']],
    [
      'swapped',
      (all) => [all[1]!, all[0]!, ...all.slice(2)],
      ['audit-lines-missing', 'audit-line-altered', 'audit-line-altered', 'audit-line-altered'],
    ],
    ['repeated', (all) => all.toSpliced(2, 0, all[1]!), ['audit-line-altered']],
    ['altered', (all) => all.map((line) => line.replace('"seq":3', '"seq":3,"x":1')), ['audit-line-altered']],
    ['altered at the end', (all) => all.with(-1, all.at(-1)!.replace('done', 'rejected')), ['audit-line-altered']],
    ['no line', (all) => all.with(2, 'hello'), ['audit-line-altered', 'audit-lines-missing']],
  ])('a line that is %s is found', async (_, change, expected) => {
    await ask(5)
    const [file] = files()
    const all = readFileSync(file!, 'utf8').trimEnd().split('\n')
    writeFileSync(file!, `${change(all).join('\n')}\n`)
    expect(codes((await verify()).problems)).toEqual(expected)
  })

  test('lines after the last checkpoint are counted: their loss cannot be found', async () => {
    await ask(2)
    const sent = readFileSync(checkpoints(), 'utf8')
    await ask(3)
    writeFileSync(checkpoints(), sent)
    expect(await verify()).toMatchObject({ lines: 5, uncovered: 3, problems: [] })
    const [file] = files()
    writeFileSync(file!, `${readFileSync(file!, 'utf8').split('\n').slice(0, 2).join('\n')}\n`)
    expect(await verify()).toMatchObject({ lines: 2, uncovered: 0, problems: [] })
    rmSync(file!)
    expect(codes((await verify()).problems)).toEqual(['audit-lines-missing'])
  })

  test('a checkpoint that was invented, altered, or is about another library does not count', async () => {
    await ask(1)
    const sent = readFileSync(checkpoints(), 'utf8')
    appendFileSync(checkpoints(), sent.replace('"seq":1', '"seq":2'))
    appendFileSync(checkpoints(), 'hello\n')
    expect((await verify()).problems.map(({ code, message }) => [code, message.split(' ').slice(1).join(' ')])).toEqual([
      ['checkpoint-invalid', 'it was not made with the key of this audit'],
      ['checkpoint-invalid', 'it is not valid JSON'],
    ])
    const other = await verifyAudit(place.folder, { library: '9'.repeat(20), checkpoints: checkpoints() })
    expect(other.problems[0]?.message).toContain('it is about another library')
  })

  test('checkpoints go to an address; one that does not answer is told of, and the next one covers the same lines', async () => {
    const bodies: string[] = []
    let status = 503
    const server = createServer((request, response) => {
      request.on('data', (part: Buffer) => bodies.push(part.toString('utf8'))).on('end', () => response.writeHead(status).end())
    })
    servers.push(server)
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const address = server.address()
    const to = `http://127.0.0.1:${typeof address === 'object' && address ? address.port : 0}/`
    place.write('dunelight.yaml', `${SMALL['dunelight.yaml']}audit: { checkpoints: "${to}" }\n`)
    const notices: Problem[] = []
    for (status of [503, 204]) {
      const { log, library } = await opened(undefined, { notice: (p: Problem) => notices.push(p) })
      await library.prompt('label').ask({ title: 'Bell' }, { model })
      await log.close()
    }
    expect(notices.map(({ code, message }) => [code, message.includes('it answers with status 503')])).toEqual([
      ['checkpoint-unsent', true],
    ])
    writeFileSync(checkpoints(), bodies.at(-1)!)
    expect(await verify()).toMatchObject({ lines: 2, uncovered: 0, problems: [] })
  })

  test('a reply is not given where its line cannot be written', async () => {
    const { log, library } = await opened()
    await library.prompt('label').ask({ title: 'Bell' }, { model })
    await log.close()
    rmSync(place.pathOf('audit'), { recursive: true })
    const again = await opened()
    await again.log.ready()
    for (const day of readdirSync(place.pathOf('audit')).filter((name) => /^\d/.test(name)))
      rmSync(place.pathOf(`audit/${day}`), { recursive: true })
    writeFileSync(place.pathOf(`audit/${new Date().toISOString().slice(0, 10)}`), 'in the way')
    await expect(again.library.prompt('label').ask({ title: 'Bell' }, { model })).rejects.toThrow(/cannot write .*audit/)
    await expect(again.library.prompt('label').ask({ title: 'Bell' }, { model })).rejects.toThrow(/cannot write .*audit/)
    await expect(again.log.close()).rejects.toThrow(/cannot write .*audit/)
  })
})
