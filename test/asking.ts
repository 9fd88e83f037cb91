import { spawn, type ChildProcess } from 'node:child_process'
import { appendFileSync } from 'node:fs'
import { afterEach } from '@jest/globals'
import { openLibraryFor, serveMock, type MockServer } from '@dunelight/node'
import { COMMAND, dunelightServed, type Ran } from './command.js'
import type { House } from './house.js'

/** Starts the command while servers of this process answer it. */
export function start(...words: string[]): { readonly child: ChildProcess; readonly ended: Promise<Ran> } {
  const child = spawn(process.execPath, [COMMAND, ...words], {
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, NO_COLOR: '1', MARRAM_PASS: 'heron' },
  })
  let [out, err] = ['', '']
  child.stdout.on('data', (chunk: Buffer) => (out += chunk.toString()))
  child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()))
  const ended = new Promise<Ran>((resolve) => child.once('close', (code) => resolve({ code, out, err })))
  return { child, ended }
}

/** Serves mock models for the tests of a file, each ended with its test. */
export function useModels(house: House) {
  const servers: MockServer[] = []
  afterEach(async () => {
    for (const server of servers.splice(0)) await server.close()
  })
  const describeModel = (name: string, address: string, more: readonly string[] = []): void => {
    const lines = [
      `  ${name}:`,
      `    url: ${address}`,
      '    answer: /said',
      '    finish: { at: /why, cut-off: [cut-off], refused: [refused] }',
      '    usage: { sent: /meter/sent, received: /meter/received }',
      ...(more.some((line) => line.startsWith('envelope')) ? [] : ['    envelope: back-office']),
      ...more.map((line) => `    ${line}`),
    ]
    appendFileSync(`${house.house}/models.yaml`, `${lines.join('\n')}\n`)
  }
  /** Starts a mock server, and describes it as a model of that name. */
  const served = async (
    name: string,
    options: Omit<Parameters<typeof serveMock>[0], 'library'> = {},
    more: readonly string[] = [],
  ): Promise<MockServer> => {
    const server = await serveMock({ library: await openLibraryFor(house.house, undefined), ...options })
    servers.push(server)
    describeModel(name, server.url, more)
    return server
  }
  const asked = (...words: string[]): Promise<Ran> => dunelightServed({ MARRAM_PASS: 'heron' }, 'ask', house.house, ...words)
  return { describeModel, served, asked }
}
