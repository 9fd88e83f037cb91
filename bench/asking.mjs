// 10,000 requests to a mock model that takes 20 ms, 50 at a time: how near is that to the least possible time?
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { batchModel } from 'dunelight'
import { plainBatch } from 'dunelight/host'
import { askBatch, httpModel, openLibraryFor, readyModel, DEFAULT_REQUEST_LIMITS } from '@dunelight/node'
import { readRecords } from '@dunelight/node/host'
import { request } from 'undici'
import { beginning } from './report.mjs'
import { objectsTable } from './tables.mjs'

const DELAY = 20
const CONCURRENCY = 50

export async function benchAsking(say, rows) {
  const from = await objectsTable(rows)
  const ideal = (rows * DELAY) / CONCURRENCY / 1000
  say(`\n${rows.toLocaleString('en')} requests of ${DELAY} ms, ${CONCURRENCY} at a time; the least possible time is ${ideal.toFixed(1)} s:`)
  const inProcess = (library, prompt) => readyModel(library, prompt, 'mock', { delay: DELAY })
  await run('label/write, in process', 'label/write', inProcess)
  const server = spawn(
    process.execPath,
    ['packages/cli/bin/dunelight.js', 'mock', 'demo/marram-house', '--port', '0', '--delay', `${DELAY}`],
    {
      stdio: ['ignore', 'pipe', 'ignore'],
    },
  )
  const [line] = await once(server.stdout, 'data')
  const url = `${line}`.trim()
  const bare = await onlyAsking(url, from)
  sayCost('a loop that only asks, over HTTP', bare)
  await run('label/write, over HTTP', 'label/write', (library) => {
    const description = { ...library.artefacts.models.models.get('back-office'), url, headers: {} }
    return {
      name: 'back-office',
      model: httpModel(description),
      isMock: true,
      identity: 'bench',
      concurrency: CONCURRENCY,
      limits: DEFAULT_REQUEST_LIMITS,
      price: undefined,
    }
  })
  server.kill()

  function sayCost(what, { seconds, cpu }, more = '') {
    const each = `${(cpu / rows).toFixed(2)} ms of processor time each`
    say(`  ${what.padEnd(32)} ${seconds.toFixed(1)} s, ${(seconds / ideal).toFixed(2)} times the least, ${each}${more}`)
  }

  async function run(what, prompt, modelOf) {
    const folder = 'demo/marram-house'
    const library = await openLibraryFor(folder, prompt)
    const runs = mkdtempSync(join(tmpdir(), 'bench-'))
    const batch = batchModel({ prompt, records: { from: 'records' } })
    const spent = beginning()
    const { counts, folder: made } = await askBatch({
      library,
      folder,
      name: 'bench',
      batch,
      records: { from },
      runs,
      model: modelOf(library, prompt),
      concurrency: CONCURRENCY,
    })
    const cost = spent()
    const numbers = readFileSync(join(made, 'output.jsonl'), 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line).number)
    const ordered = numbers.every((number, i) => i === 0 || number > numbers[i - 1])
    rmSync(runs, { recursive: true })
    if (counts.asks < rows) throw new Error(`only ${counts.asks} were asked`)
    if (counts.written + counts.rejected !== rows || !ordered)
      throw new Error(`${counts.written} answered, ${counts.rejected} rejected, in order: ${ordered}`)
    const peak = (process.resourceUsage().maxRSS / 1024).toFixed(0)
    sayCost(what, cost, `, peak ${peak} MB`)
  }
}

/** What the service and the way to it take by themselves, on a machine that both share: nothing is rendered, checked or kept meanwhile. */
async function onlyAsking(url, from) {
  const prompt = 'label/write'
  const library = await openLibraryFor('demo/marram-house', prompt)
  const bodies = []
  for await (const { records } of readRecords(plainBatch(library.prompt(prompt)), from))
    for (const { id, prepared } of records)
      bodies.push(JSON.stringify({ prompt, record: id, values: prepared.values, turns: prepared.turns({ record: id }) }))
  let next = 0
  const spent = beginning()
  const lane = async () => {
    while (next < bodies.length) {
      const { body } = await request(url, { method: 'POST', headers: { 'content-type': 'application/json' }, body: bodies[next++] })
      const { said } = await body.json()
      if (typeof said !== 'string') throw new Error('no answer')
    }
  }
  await Promise.all(Array.from({ length: CONCURRENCY }, lane))
  return spent()
}
