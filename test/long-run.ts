import { spawn } from 'node:child_process'
import { appendFileSync, existsSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, expect } from '@jest/globals'
import { generateObjects } from '../scripts/generate.mjs'
import { COMMAND, dunelight } from './command.js'
import { pause, text, type House } from './house.js'

const ROWS = 6_000

/** A run of thousands of records that can be ended at any moment, and before each test the same run without a break, called `whole`. */
export function useLongRun(house: House) {
  const table = () => house.pathOf('many.csv')
  const args = (name: string, more: readonly string[]) => [
    'run',
    house.house,
    'label/write',
    '--records',
    table(),
    '--runs',
    house.pathOf(name),
    '--to',
    house.pathOf(`${name}.jsonl`),
    ...more,
  ]
  const folderOf = (name: string) => house.pathOf(`${name}/label-write-1`)
  const begun = (name: string) => existsSync(join(folderOf(name), 'run.json'))

  beforeEach(async () => {
    await generateObjects(ROWS, table())
    // Some rows that are rejected, and one name that comes twice.
    appendFileSync(table(), 'MH-0001,again,lamp,,1890,oak,100,100,H0,on display,Sound.,2026-05-05,,\n')
    writeFileSync(table(), text(table()).replace(/^(MH-\d*7,(?:"[^"]*"|[^,]*),[^,]*,(?:"(?:[^"]|"")*"|[^,]*),)(\d{4}),/gm, '$1c. $2,'))
    expect(dunelight(...args('whole', [])).code).toBe(3)
  })

  return { table, args, folderOf, begun, start }
}

/** Starts the command, and kills it a while after `since` is true; without a while, waits for its end. */
export async function start(
  words: readonly string[],
  since: () => boolean = () => true,
  after = Infinity,
): Promise<{ code: number | null; err: string }> {
  const child = spawn(process.execPath, [COMMAND, ...words], { stdio: ['ignore', 'ignore', 'pipe'] })
  let err = ''
  child.stderr.on('data', (chunk: Buffer) => (err += chunk.toString()))
  const ended = new Promise<number | null>((resolve) => child.once('close', resolve))
  while (!since() && child.exitCode === null) await pause(3)
  if (after < Infinity) {
    await Promise.race([ended, pause(after)])
    child.kill('SIGKILL')
  }
  return { code: await ended, err }
}
