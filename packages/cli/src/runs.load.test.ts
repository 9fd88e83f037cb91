import { spawn } from 'node:child_process'
import { appendFileSync, existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import { COMMAND, dunelight } from '../../../test/command.js'
import { goesOn, pause, text, useHouse } from '../../../test/house.js'
import { generateObjects } from '../../../scripts/generate.mjs'

const house = useHouse()

describe('a run that broke off', () => {
  const ROWS = 6_000
  const table = () => house.at('many.csv')
  const args = (name: string, more: readonly string[]) => [
    'run',
    house.house,
    'label/write',
    '--records',
    table(),
    '--runs',
    house.at(name),
    '--to',
    house.at(`${name}.jsonl`),
    ...more,
  ]
  const folderOf = (name: string) => house.at(`${name}/label-write-1`)

  beforeEach(async () => {
    await generateObjects(ROWS, table())
    // Some rows that are set aside, and one name that comes twice.
    appendFileSync(table(), 'MH-0001,again,lamp,,1890,oak,100,100,H0,on display,Sound.,2026-05-05,,\n')
    writeFileSync(table(), text(table()).replace(/^(MH-\d*7,(?:"[^"]*"|[^,]*),[^,]*,(?:"(?:[^"]|"")*"|[^,]*),)(\d{4}),/gm, '$1c. $2,'))
    expect(dunelight(...args('whole', [])).code).toBe(3)
  })

  const begun = (name: string) => existsSync(join(folderOf(name), 'run.json'))
  const fileOf = (name: string) => JSON.parse(text(join(folderOf(name), 'run.json'))) as { state: string; seconds: number; counts: unknown }

  /** Starts the command, and ends it without a word a while after `since` holds; without a while, waits for its end. */
  async function start(
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

  const FEW = 4

  test('at any moment comes to the same end, byte for byte', async () => {
    const whole = [readFileSync(house.at('whole.jsonl')), readFileSync(join(folderOf('whole'), 'set-aside.jsonl'))]
    const { seconds, counts } = fileOf('whole')
    const moment = () => Math.random() * seconds * 1000
    let broken = 0
    let rounds = 0
    const breakOff = async (k: number) => {
      const name = `k${k}`
      rounds++
      const words = args(name, k % 5 === 4 ? ['--workers', '2'] : [])
      // Some end before they have begun: nothing is there to be carried on then, nor in the way.
      if (k % 10 === 9) await start(words, undefined, Math.random() * 400)
      if (!begun(name)) await start(words, () => begun(name), moment())
      // Some are ended a second time while they are carried on.
      if (k % 4 === 0) await start(['resume', folderOf(name)], undefined, 300 + moment())
      const { code, err } = await start(['resume', folderOf(name)])
      if (code === 3) broken++
      else expect(err).toContain('has ended')
      const same = [readFileSync(house.at(`${name}.jsonl`)), readFileSync(join(folderOf(name), 'set-aside.jsonl'))].map((one, i) =>
        one.equals(whole[i]!),
      )
      expect([k, ...same]).toEqual([k, true, true])
      expect(fileOf(name).counts).toEqual(counts)
      rmSync(house.at(name), { recursive: true })
      rmSync(house.at(`${name}.jsonl`))
    }
    const lane = async (first: number) => {
      for (let k = first; goesOn(k, FEW, 50); k += 2) await breakOff(k)
    }
    await Promise.all([lane(0), lane(1)])
    expect(broken).toBeGreaterThan(rounds * 0.4 - 2)
  }, 480_000)
})
