import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import { start } from '../../../test/asking.js'

const ROWS = 60
const NOTES = ['calm', 'rust on the rim', 'mould']
let folder = ''
let server: Server
/** The bodies of all requests. */
let bodies: string[] = []

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'ask-cache-'))
  bodies = []
  server = createServer((request, response) => {
    let body = ''
    request.on('data', (chunk: Buffer) => (body += chunk.toString()))
    request.on('end', () => {
      bodies.push(body)
      // Long enough for the other records of the note to come.
      setTimeout(() => response.end('{"text":"sound"}'), 300)
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  write({
    'prompts/grade.yaml': 'title: G\noutput: grade\nvariables: { note: text }\nturns: [{ user: "Grade: {note}" }]\n',
    'outputs/grade.yaml': 'kind: one-of\nshow: none\nof: [sound, watch]\n',
    'envelopes/bare.yaml': 'line: { of: "{record.id}", messages: "{turns}" }\n',
    'models.yaml': models(''),
    'notes.csv': `no,note\n${Array.from({ length: ROWS }, (_, i) => `N-${i + 1},${NOTES[i % NOTES.length]}\n`).join('')}`,
  })
})
afterEach(() => {
  server.close()
  server.closeAllConnections()
  rmSync(folder, { recursive: true, force: true })
})

const models = (more: string) =>
  `models:\n  m: { url: "http://127.0.0.1:${(server.address() as { port: number }).port}/", answer: /text, concurrency: 16${more} }\n`

function write(files: Readonly<Record<string, string>>): void {
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true })
    writeFileSync(join(folder, path), text)
  }
}

const ask = (to: string) =>
  start('ask', folder, 'grade', '--records', join(folder, 'notes.csv'), '--to', join(folder, to), '--corrections', '0').ended

describe('nothing is paid twice', () => {
  test('equal prompts of a run, and of two processes at once, are asked once', async () => {
    const both = await Promise.all([ask('one.jsonl'), ask('two.jsonl')])
    expect(both.map(({ code, err }) => (code === 0 ? 0 : err))).toEqual([0, 0])
    expect(bodies.map((body) => (JSON.parse(body) as { turns: { text: string }[] }).turns[0]!.text).sort()).toEqual(
      NOTES.map((note) => `Grade: ${note}`).sort(),
    )
    for (const path of ['one.jsonl', 'two.jsonl']) expect(readFileSync(join(folder, path), 'utf8').trim().split('\n')).toHaveLength(ROWS)
  })

  test('a request that sends something else is another question, although its turns are the same', async () => {
    await ask('a.jsonl')
    expect(bodies).toHaveLength(NOTES.length)
    write({ 'outputs/grade.yaml': 'kind: one-of\nshow: none\nof: [sound, watch, treat]\n' })
    await ask('b.jsonl')
    expect(bodies).toHaveLength(2 * NOTES.length)
  })

  test('what is not sent only reads the cached reply again', async () => {
    write({ 'models.yaml': models(', envelope: bare') })
    await ask('a.jsonl')
    expect(bodies).toHaveLength(NOTES.length)
    write({ 'outputs/grade.yaml': 'kind: one-of\nshow: none\nof: [watch, treat]\n' })
    const { code, err } = await ask('b.jsonl')
    expect([code, bodies.length]).toEqual([3, NOTES.length])
    expect(err).toContain('"sound" is not one of watch, treat')
  })
})
