// The service over HTTP: its render route beside the same server that answers the same bytes from memory, many streams at once, and memory.
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import autocannon from 'autocannon'

const SECONDS = 4
const CONNECTIONS = 32
const ROUNDS = 3
const STREAMS = 1000

/** Prompts of the demo, from small to large, with values. */
const VALUES = {
  'dossier/critique': { text: 'A storm lantern of brass.' },
  'survey/grade': { item: { 'object-no': 'MH-0007', 'survey-note': 'Rust on the lower hinge, and it spreads under the paint.' } },
  'label/write': {
    item: {
      'object-no': 'MH-0007',
      title: 'Storm lantern',
      kind: 'lamp',
      materials: ['brass', 'glass'],
      'height-mm': 310,
      'weight-g': 1450,
      room: 'B0',
      status: 'on display',
      'survey-note': 'Dent above the maker’s mark.',
      surveyed: '2026-03-02',
    },
  },
}

export async function benchService(say, requests) {
  const folder = mkdtempSync(join(tmpdir(), 'dunelight-bench-'))
  const service = await started('bench/service-server.mjs', [folder])
  say(`\nThe service, ${CONNECTIONS} connections, ${ROUNDS} rounds in turns with a bare server of the same bytes:`)
  for (const [name, values] of Object.entries(VALUES)) {
    const path = `/render/${name}`
    const body = JSON.stringify({ values })
    const response = await (await fetch(`${service.address}${path}`, post(body))).text()
    const bare = await started('bench/bare-server.mjs', [response])
    const figures = { service: [], bare: [] }
    for (let round = 0; round < ROUNDS; round++) {
      figures.bare.push(await load(`${bare.address}${path}`, body))
      figures.service.push(await load(`${service.address}${path}`, body))
    }
    bare.stop()
    const [own, plain] = [middle(figures.service), middle(figures.bare)]
    say(
      `${name.padEnd(17)} ${(response.length / 1000).toFixed(1)} kB  ${own.rate.toFixed(0)} requests a second, ${(own.rate / plain.rate).toFixed(2)} of the bare server’s ${plain.rate.toFixed(0)}; ` +
        `p99 ${own.p99} ms, ${(own.p99 / Math.max(1, plain.p99)).toFixed(1)} times`,
    )
  }
  await benchStreams(say, service.address)
  await benchMemory(say, service, requests)
  service.stop()
  rmSync(folder, { recursive: true, force: true })
}

async function benchStreams(say, address) {
  const body = JSON.stringify({ values: VALUES['survey/grade'] })
  const begun = performance.now()
  const first = []
  let dropped = 0
  await Promise.all(
    Array.from({ length: STREAMS }, async (_, i) => {
      const values = { item: { ...VALUES['survey/grade'].item, 'object-no': `MH-${i}` } }
      const sent = performance.now()
      const headers = { 'content-type': 'application/json', accept: 'text/event-stream' }
      const response = await fetch(`${address}/ask/survey/grade`, { method: 'POST', headers, body: JSON.stringify({ values }) })
      let text = ''
      for await (const part of response.body) {
        if (text === '') first.push(performance.now() - sent)
        text += Buffer.from(part).toString()
      }
      if (!text.includes('event: answer')) dropped++
    }),
  )
  first.sort((a, b) => a - b)
  say(
    `${STREAMS} streams at once: ${dropped} dropped, first byte median ${first[first.length >> 1].toFixed(0)} ms, p99 ${first[Math.floor(first.length * 0.99)].toFixed(0)} ms, ` +
      `all in ${((performance.now() - begun) / 1000).toFixed(1)} s (${body.length} bytes each)`,
  )
}

async function benchMemory(say, service, requests) {
  const memory = async () => Number(await (await fetch(`${service.address}/memory`)).text()) / 1e6
  const url = `${service.address}/render/survey/grade`
  const body = JSON.stringify({ values: VALUES['survey/grade'] })
  const parts = 5
  const seen = []
  for (let part = 0; part < parts; part++) {
    await load(url, body, Math.ceil(requests / parts))
    seen.push(await memory())
  }
  say(`memory over ${requests.toLocaleString('en')} requests: ${seen.map((mb) => mb.toFixed(0)).join(', ')} MB`)
}

function post(body) {
  return { method: 'POST', body, headers: { 'content-type': 'application/json' } }
}

async function load(url, body, amount) {
  const { requests, latency, non2xx, errors } = await autocannon({
    url,
    ...post(body),
    connections: CONNECTIONS,
    ...(amount === undefined ? { duration: SECONDS } : { amount }),
  })
  if (non2xx > 0 || errors > 0) throw new Error(`${non2xx} refused, ${errors} failed at ${url}`)
  return { rate: requests.average, p99: latency.p99 }
}

function middle(figures) {
  return [...figures].sort((a, b) => a.rate - b.rate)[figures.length >> 1]
}

/** A server in a process of its own; it prints its port. */
function started(script, args) {
  const child = spawn(process.execPath, ['--expose-gc', script, ...args], { stdio: ['ignore', 'pipe', 'inherit'] })
  return new Promise((resolve, reject) => {
    child.stdout.once('data', (data) => resolve({ address: `http://127.0.0.1:${String(data).trim()}`, stop: () => child.kill('SIGKILL') }))
    child.once('exit', () => reject(new Error(`${script} ended`)))
  })
}
