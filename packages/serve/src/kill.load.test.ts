import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterEach, expect, test } from '@jest/globals'
import { changeChannel, publishEditions, verifyAudit } from '@dunelight/node'
import { COMMAND } from '../../../test/command.js'
import { goesOn, pause } from '../../../test/house.js'
import { useWorkplace } from '../../../test/repository.js'
import { eventually, SERVED, useService } from '../../../test/service.js'
import { approversText, makeKey } from '../../../test/signing.js'

const key = makeKey()
const thea = makeKey()
const LIBRARY = '0a1b2c3d4e5f60718293'
const AUDIT_KEY = 'a key of this test alone'
const place = useWorkplace({ ...SERVED, 'dunelight.yaml': `${SERVED['dunelight.yaml']}audit: {}\n`, '.gitignore': 'audit\n' })
const served = useService()
let running: ChildProcess | undefined
let exited: Promise<unknown> = Promise.resolve()
afterEach(() => {
  running?.kill('SIGKILL')
})

interface Answered {
  readonly status: number
  readonly text: string
}

test('a service that is killed at any moment keeps its audit, results, budgets and serials', async () => {
  const approvers = join(place.folder, '..', 'approvers.yaml')
  writeFileSync(approvers, approversText({ hesper: key, thea }, 'publishers: [hesper]\nrules: [{ tags: [never], needs: 1 }]'))
  const { file, tokens } = served.callers({ desk: 'prompts: all, operations: [render, ask, metrics], editions: true, tokens-a-day: 900k' })
  for (const words of ['First.', 'Second.']) {
    place.write('prompts/grade.yaml', SERVED['prompts/grade.yaml'].replace('  - user: |', `  - system: ${words}\n  - user: |`))
    place.commit(words)
    await publishEditions(place.folder, ['grade'], { channel: 'live', key, approvers: { file: approvers } })
  }
  const env = { ...process.env, DUNELIGHT_AUDIT_KEY: AUDIT_KEY }
  const args = [
    COMMAND,
    'serve',
    place.folder,
    '--channel',
    'live',
    '--approvers',
    approvers,
    '--callers',
    file,
    '--state',
    served.state,
    '--model',
    'mock',
    '--port',
    '0',
  ]
  const begin = async (): Promise<string> => {
    running = spawn(process.execPath, args, { env, stdio: ['ignore', 'pipe', 'pipe'] })
    exited = once(running, 'exit')
    const said: Buffer[] = []
    running.stderr!.on('data', (chunk: Buffer) => said.push(chunk))
    const line = await Promise.race([once(running.stdout!, 'data'), exited.then(() => [Buffer.concat(said)])])
    const address = String(line[0]).trim()
    expect(address).toMatch(/^http:/)
    return address
  }
  const ask = async (address: string, number: number): Promise<Answered> => {
    const headers = { authorization: `Bearer ${tokens.desk}`, 'content-type': 'application/json', 'idempotency-key': `key-${number}` }
    const response = await fetch(`${address}ask/grade`, {
      method: 'POST',
      headers,
      body: JSON.stringify({ values: { note: `Note ${number}` } }),
    })
    return { status: response.status, text: await response.text() }
  }
  const day = new Date().toISOString().slice(0, 10)
  const answers = new Map<number, string>()
  let sent = 0
  let serial = 0
  for (let round = 0; goesOn(round, 3, 30); round++) {
    const address = await begin()
    let isKilled = false
    const asking = Array.from({ length: 4 }, async () => {
      while (!isKilled) {
        const number = ++sent
        const answered = await ask(address, number).catch(() => undefined)
        if (answered?.status === 200) answers.set(number, answered.text)
      }
    })
    const moving = (async () => {
      while (!isKilled) {
        const change = { does: 'point', channel: 'live', edition: 1 + (serial % 2) } as const
        serial = (await changeChannel(place.folder, 'grade', change, { library: LIBRARY, key, approvers: { file: approvers } })).serial
        await pause(30)
      }
    })()
    // The machine may be slow: each round has answers before it ends.
    const before = answers.size
    await eventually(() => answers.size >= before + 5)
    await pause(Math.random() * 400)
    running!.kill('SIGKILL')
    isKilled = true
    await Promise.all([...asking, moving])
    await exited

    // The audit has a line for each answer that was given, in a chain that is whole.
    process.env['DUNELIGHT_AUDIT_KEY'] = AUDIT_KEY
    const verdict = await verifyAudit(place.folder, { library: LIBRARY })
    delete process.env['DUNELIGHT_AUDIT_KEY']
    expect(verdict.problems.filter(({ severity }) => severity === 'error')).toEqual([])
    const audited = linesIn(join(place.folder, 'audit')).filter(({ operation, status }) => operation === 'ask' && status === 'done')
    expect(audited.length).toBeGreaterThanOrEqual(answers.size)
    // The tokens of every answer are counted.
    const used = [...answers.values()].reduce((sum, text) => sum + tokensIn(text), 0)
    // The tokens of a day are those of one day.
    if (new Date().toISOString().slice(0, 10) === day) expect(countedIn(served.state)).toBeGreaterThanOrEqual(used)
  }
  expect(answers.size).toBeGreaterThanOrEqual(15)

  // Every key still has the answer that it had, and none is asked again.
  const address = await begin()
  for (const [number, text] of [...answers].slice(-60)) expect(await ask(address, number)).toEqual({ status: 200, text })
  running!.kill('SIGINT')
  await exited

  // No serial goes back: a service that has seen the newest statement refuses an older one.
  const channels = join(place.folder, 'editions/channels.json')
  const newest = readFileSync(channels, 'utf8')
  await changeChannel(
    place.folder,
    'grade',
    { does: 'point', channel: 'live', edition: 2 },
    { library: LIBRARY, key, approvers: { file: approvers } },
  )
  await begin()
  running!.kill('SIGKILL')
  await exited
  writeFileSync(channels, newest)
  const refused = spawn(process.execPath, args, { env, stdio: ['ignore', 'ignore', 'pipe'] })
  let said = ''
  refused.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()))
  expect((await once(refused, 'exit'))[0]).toBe(1)
  expect(said).toContain('was seen before')
}, 600_000)

function tokensIn(text: string): number {
  const { usage } = JSON.parse(text) as { readonly usage?: { readonly sent: number; readonly received: number } }
  return usage ? usage.sent + usage.received : 0
}

/** The tokens that the files of the budgets count: the last line of each question. */
function countedIn(state: string): number {
  const last = new Map(
    linesIn(join(state, 'tokens')).map(({ caller, question, tokens }) => [`${String(caller)} ${String(question)}`, Number(tokens)]),
  )
  return [...last.values()].reduce((sum, tokens) => sum + tokens, 0)
}

function linesIn(folder: string): Record<string, unknown>[] {
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((path) => path.endsWith('.jsonl'))
  return files.flatMap((path) =>
    readFileSync(join(folder, path), 'utf8')
      .split('\n')
      .flatMap((line) => {
        try {
          return [JSON.parse(line) as Record<string, unknown>]
        } catch {
          // A line that the kill left half written.
          return []
        }
      }),
  )
}
