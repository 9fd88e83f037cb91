import { execFileSync, spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { closeSync, mkdtempSync, openSync, read, readSync, rmSync, writeSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll } from '@jest/globals'

/** The command as a user runs it. */
export const COMMAND = 'packages/cli/bin/dunelight.js'

export interface Ran {
  readonly code: number | null
  readonly out: string
  readonly err: string
}

interface CommandServer {
  readonly child: ChildProcess
  readonly folder: string
  readonly requests: number
  readonly results: number
}

let server: CommandServer | undefined

afterAll(() => {
  if (!server) return
  server.child.kill()
  closeSync(server.requests)
  closeSync(server.results)
  rmSync(server.folder, { recursive: true, force: true })
  server = undefined
})

/** Runs the built command without colour, in a process that all calls of a test file share: see command-server.mjs. */
export function dunelight(...args: string[]): Ran {
  const { requests, results } = (server ??= startServer())
  writeSync(requests, `${JSON.stringify({ argv: args, env: { ...process.env, NO_COLOR: '1' } })}\n`)
  return JSON.parse(lineFrom(results)) as Ran
}

/** The last call that did not wait: results come in the order of the requests. */
let meanwhile: Promise<unknown> = Promise.resolve()

/** The same while servers of the test's own process go on answering, with more environment variables. */
export function dunelightServed(env: Readonly<Record<string, string>>, ...args: string[]): Promise<Ran> {
  const { requests, results } = (server ??= startServer())
  const ran = meanwhile.then(() => {
    writeSync(requests, `${JSON.stringify({ argv: args, env: { ...process.env, NO_COLOR: '1', ...env } })}\n`)
    return lineMeanwhile(results)
  })
  meanwhile = ran
  return ran.then((line) => JSON.parse(line) as Ran)
}

/** Runs the command as a process of its own, with something on standard input. */
export function dunelightFed(input: string, ...args: string[]): Ran {
  const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...args], {
    input,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1' },
  })
  return { code: status, out: stdout, err: stderr }
}

function startServer(): CommandServer {
  const folder = mkdtempSync(join(tmpdir(), 'dunelight-command-'))
  const [requests, results] = [join(folder, 'requests'), join(folder, 'results')]
  execFileSync('mkfifo', [requests, results])
  const child = spawn(process.execPath, ['test/command-server.mjs', requests, results], { stdio: ['ignore', 'inherit', 'inherit'] })
  // Opened for both, a pipe does not wait for its other end.
  return { child, folder, requests: openSync(requests, 'r+'), results: openSync(results, 'r+') }
}

function lineFrom(pipe: number): string {
  const chunks: Buffer[] = []
  for (;;) {
    const chunk = Buffer.alloc(1 << 16)
    const length = readSync(pipe, chunk)
    chunks.push(chunk.subarray(0, length))
    if (chunk[length - 1] === 10) return Buffer.concat(chunks).toString('utf8')
  }
}

const readLater = promisify(read)

async function lineMeanwhile(pipe: number): Promise<string> {
  const chunks: Buffer[] = []
  for (;;) {
    const { bytesRead, buffer } = await readLater(pipe, Buffer.alloc(1 << 16), 0, 1 << 16, null)
    chunks.push(buffer.subarray(0, bytesRead))
    if (buffer[bytesRead - 1] === 10) return Buffer.concat(chunks).toString('utf8')
  }
}
