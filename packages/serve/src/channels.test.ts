import { copyFileSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { approveEdition, changeChannel, publishEditions } from '@dunelight/node'
import type { HttpService } from '@dunelight/serve'
import { useWorkplace } from '../../../test/repository.js'
import { readAuditLinesOf, SERVED, send, testModel, useService } from '../../../test/service.js'
import { approversText, makeKey } from '../../../test/signing.js'

const place = useWorkplace(SERVED)
const served = useService()
const NOTE = { values: { note: 'Rust' } }
const keys = { hesper: makeKey(), thea: makeKey() }

/** Publishes the prompt in another wording. */
async function publish(words: string, options: Parameters<typeof publishEditions>[2] = {}): Promise<number> {
  place.write('prompts/grade.yaml', SERVED['prompts/grade.yaml'].replace('  - user: |', `  - system: ${words}\n  - user: |`))
  place.commit(words)
  const published = await publishEditions(place.folder, ['grade'], { channel: 'live', ...options })
  return published.published[0]?.number ?? 0
}

const point = (edition: number, more: Partial<Parameters<typeof changeChannel>[3]> = {}) =>
  changeChannel(place.folder, 'grade', { does: 'point', channel: 'live', edition }, { library: '0a1b2c3d4e5f60718293', ...more })

async function wordsOf(service: HttpService, more: object = {}): Promise<string> {
  const { data, status } = await send(service, '/render/grade', { body: { ...NOTE, ...more } })
  const turns = data['turns'] as { text: string }[] | undefined
  return turns?.[0] ? `${data['edition'] as number}: ${turns[0].text}` : `${status} ${JSON.stringify(data['problems'] ?? data['detail'])}`
}

/** Waits until a rendering begins so. */
async function until(service: HttpService, begin: string): Promise<string> {
  let words = ''
  for (let tries = 0; tries < 400 && !words.startsWith(begin); tries++) {
    words = await wordsOf(service)
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  return words
}

describe('a channel', () => {
  test('decides which edition is served, and moves without a request that fails or mixes', async () => {
    await publish('First words.')
    const service = await served.open({ library: place.folder, channel: 'live', noToken: true })
    expect(await wordsOf(service)).toBe('1: First words.')
    const seen: string[] = []
    let isDone = false
    const asking = (async () => {
      while (!isDone) {
        seen.push(await wordsOf(service))
        await new Promise((resolve) => setTimeout(resolve, 1))
      }
    })()
    expect(await publish('Second words.')).toBe(2)
    expect(await until(service, '2')).toBe('2: Second words.')
    await point(1)
    expect(await until(service, '1')).toBe('1: First words.')
    isDone = true
    await asking
    expect(new Set(seen)).toEqual(new Set(['1: First words.', '2: Second words.']))
  })

  test('keeps its edition for a question that began before it moved', async () => {
    await publish('First words.')
    let go: (() => void) | undefined
    const model = testModel(async () => {
      await new Promise<void>((resolve) => (go = resolve))
      return { text: 'sound', finish: 'done' }
    })
    const service = await served.open({ library: place.folder, channel: 'live', noToken: true, model })
    const asked = send(service, '/ask/grade', { body: NOTE })
    while (!go) await new Promise((resolve) => setTimeout(resolve, 5))
    await publish('Second words.')
    await until(service, '2')
    go()
    expect((await asked).data).toMatchObject({ edition: 1, answer: { label: 'sound' } })
  })

  test('may be made after the service began, which is down until then, and audits from the first rendering', async () => {
    process.env['DUNELIGHT_AUDIT_KEY'] = 'a key of this test alone'
    place.write('dunelight.yaml', `${SERVED['dunelight.yaml']}audit: { retention: 30 }\n`)
    place.write('.gitignore', 'audit\n')
    const service = await served.open({ library: place.folder, channel: 'live', noToken: true })
    expect(await send(service, '/health')).toMatchObject({ status: 503, data: { status: 'down' } })
    expect((await send(service, '/render/grade', { body: NOTE })).status).toBe(404)
    await publish('First words.')
    expect(await until(service, '1')).toBe('1: First words.')
    expect((await send(service, '/health')).status).toBe(200)
    expect(readAuditLinesOf(place.folder)).toMatchObject([{ operation: 'render', prompt: 'grade', at: 'grade@1' }])
    delete process.env['DUNELIGHT_AUDIT_KEY']
  })

  test('is named by callers that may, and editions by number', async () => {
    await publish('First words.')
    await publish('Next words.', { channel: 'next' })
    const { file, tokens } = served.callers({ a: 'prompts: all', b: 'prompts: all, channels: [live, next], editions: true' })
    const service = await served.open({ library: place.folder, channel: 'live', callers: file })
    const ask = (token: string, more: object) => send(service, '/render/grade', { token, body: { ...NOTE, ...more } })
    expect((await ask(tokens.a, { channel: 'next' })).status).toBe(403)
    expect((await ask(tokens.a, { edition: 2 })).status).toBe(403)
    expect((await ask(tokens.b, { channel: 'next' })).data).toMatchObject({ edition: 2 })
    expect((await ask(tokens.b, { edition: 1 })).data).toMatchObject({ edition: 1 })
    expect((await ask(tokens.b, { edition: 9 })).status).toBe(404)
    expect((await ask(tokens.b, { edition: 1, channel: 'next' })).status).toBe(400)
  })
})

describe('with approvers', () => {
  const approve = (number: number) => approveEdition(place.folder, 'grade', number, keys.thea)
  const approversFile = () => {
    const file = join(place.folder, '..', 'approvers.yaml')
    writeFileSync(file, approversText(keys, 'publishers: [hesper]\nrules: [{ needs: 1 }]'))
    copyFileSync(file, join(place.folder, 'approvers.yaml'))
    return file
  }
  const open = (file: string, more: object = {}) =>
    served.open({ library: place.folder, channel: 'live', noToken: true, approvers: { file }, ...more })

  test('an edition without approval never takes the place of one that has it, and a revoked one is served no more', async () => {
    const file = approversFile()
    await publish('First words.', { key: keys.hesper })
    await approve(1)
    const service = await open(file)
    expect(await wordsOf(service)).toBe('1: First words.')
    await publish('Second words.', { key: keys.hesper })
    await service.service.wordings.reload()
    expect(await wordsOf(service)).toBe('1: First words.')
    expect((await send(service, '/health', { headers: { cookie: 'x=1' } })).data['refused']).toMatchObject([
      { prompt: 'grade', channel: 'live' },
    ])
    await approve(2)
    expect(await until(service, '2')).toBe('2: Second words.')
    expect((await send(service, '/prompts/grade')).data).toMatchObject({ published: { approvedBy: ['thea'] } })
    await approveEdition(place.folder, 'grade', 2, keys.thea, { action: 'revoke' })
    expect(await until(service, '503')).toContain('edition-revoked')
    expect(await wordsOf(service, { edition: 2 })).toContain('edition-revoked')
    expect(await wordsOf(service, { edition: 1 })).toBe('1: First words.')
  })

  test('a channel statement that is older, foreign or unsigned changes nothing, after a restart either', async () => {
    const file = approversFile()
    await publish('First words.', { key: keys.hesper })
    await approve(1)
    const channels = join(place.folder, 'editions/channels.json')
    const old = readFileSync(channels)
    await publish('Second words.', { key: keys.hesper })
    await approve(2)
    const service = await open(file)
    expect(await wordsOf(service)).toBe('2: Second words.')
    const newest = readFileSync(channels)
    const foreign = JSON.stringify({ ...(JSON.parse(newest.toString()) as object), library: 'another' })
    const unsigned = JSON.stringify({ ...(JSON.parse(newest.toString()) as object), key: undefined, signature: undefined, serial: 9 })
    for (const [bad, why] of [
      [old, 'seen before'],
      [foreign, 'another library'],
      [unsigned, 'no publisher has signed it'],
      ['{', 'JSON'],
    ] as const) {
      writeFileSync(channels, bad)
      await service.service.wordings.reload()
      expect(await wordsOf(service)).toBe('2: Second words.')
      expect(service.service.health.refusal?.message).toContain(why)
    }
    await service.close()
    writeFileSync(channels, old)
    await expect(open(file)).rejects.toThrow(/seen before/)
    writeFileSync(channels, newest)
    expect(await wordsOf(await open(file))).toBe('2: Second words.')
  })

  test('an expired statement is a state of health, and with strict expiry the end of serving', async () => {
    const file = approversFile()
    await publish('First words.', { key: keys.hesper })
    await approve(1)
    await point(1, { key: keys.hesper, expires: new Date('2026-01-31') })
    const lax = await open(file)
    expect(await wordsOf(lax)).toBe('1: First words.')
    expect((await send(lax, '/health', { headers: { cookie: 'x=1' } })).data).toMatchObject({
      expires: expect.stringContaining('2026-01-31'),
      expired: true,
    })
    await lax.close()
    const strict = await open(file, { strictExpiry: true })
    expect(await wordsOf(strict)).toContain('expired')
    expect((await send(strict, '/health')).status).toBe(503)
  })
})
