// Runs the built command many times in one process. Starting a process for each of several hundred calls took most of the tests' time.
// Requests and results are lines of JSON in two named pipes, so that a test can wait for a result without giving up its turn.
import { createReadStream, openSync, writeSync } from 'node:fs'
import { createInterface } from 'node:readline'
import { Readable, Writable } from 'node:stream'
import { run, runFailed } from '../packages/cli/dist/command.js'

/** Longer than any command of a test takes. */
const TIME_LIMIT_MS = 85_000

const [requests, results] = process.argv.slice(2)
const to = openSync(results, 'r+')
let answer = () => undefined

process.on('uncaughtException', (fault) => answer(undefined, fault))
process.on('exit', () => answer(undefined, new Error('the command ended the process')))

for await (const line of createInterface({ input: createReadStream(requests, { flags: 'r+' }) })) {
  const { argv, env } = JSON.parse(line)
  for (const name of Object.keys(process.env)) if (!(name in env)) delete process.env[name]
  Object.assign(process.env, env)
  await new Promise((resolve) => {
    const [stdout, stderr] = [collector(), collector()]
    const context = { argv, env, stdin: Readable.from([]), stdout, stderr, signal: new AbortController().signal }
    const timer = setTimeout(() => answer(undefined, new Error(`no result after ${TIME_LIMIT_MS} ms`)), TIME_LIMIT_MS)
    answer = (code, fault) => {
      answer = () => undefined
      clearTimeout(timer)
      const send = (ended) => {
        writeAll(Buffer.from(`${JSON.stringify({ code: ended, out: stdout.text(), err: stderr.text() })}\n`))
        resolve()
      }
      if (fault === undefined) send(code)
      else runFailed(fault, context).then(send, () => send(-1))
    }
    run(context).then(
      (code) => answer(code),
      (fault) => answer(undefined, fault),
    )
  })
}

function collector() {
  const chunks = []
  const stream = new Writable({
    write(chunk, _, done) {
      // The writer may fill its buffer again after this message.
      chunks.push(Buffer.from(chunk))
      done()
    },
  })
  stream.text = () => Buffer.concat(chunks).toString('utf8')
  return stream
}

/** A pipe takes 64 kB at a time. */
function writeAll(bytes) {
  for (let at = 0; at < bytes.length;) at += writeSync(to, bytes, at)
}
