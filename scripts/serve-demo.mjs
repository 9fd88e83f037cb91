// Serves the demo's library with a caller, and prints requests that work. Ctrl+C ends it.
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { COMMAND } from './demo-copy.mjs'
import { makeServiceDemo } from './service-demo.mjs'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-service-'))
const { house, env, callers, token } = makeServiceDemo(folder)
const port = process.argv.includes('--port') ? process.argv[process.argv.indexOf('--port') + 1] : undefined
const words = [
  'serve',
  house,
  '--channel',
  'live',
  '--callers',
  callers,
  '--model',
  'mock',
  ...(port === undefined ? [] : ['--port', port]),
]
const service = spawn(process.execPath, [COMMAND, ...words], { env, stdio: ['ignore', 'pipe', 'inherit'] })

service.stdout.once('data', (data) => {
  const address = String(data).trim().replace(/\/$/, '')
  const values = { item: { 'object-no': 'MH-0007', 'survey-note': 'Rust on the hinge, and it spreads.' } }
  const body = `-H 'Content-Type: application/json' -d '${JSON.stringify({ values })}'`
  process.stdout.write(
    [
      `export TOKEN=${token}`,
      `curl -H "Authorization: Bearer $TOKEN" ${address}/prompts`,
      `curl -H "Authorization: Bearer $TOKEN" ${body} ${address}/render/survey/grade`,
      `curl -H "Authorization: Bearer $TOKEN" ${body} ${address}/ask/survey/grade`,
      '',
      `the catalogue: ${address}/   the library: ${house}`,
      '',
    ].join('\n'),
  )
})
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => service.kill('SIGINT'))
service.on('exit', (code) => {
  rmSync(folder, { recursive: true, force: true })
  process.exitCode = code ?? 1
})
