import { spawn } from 'node:child_process'
import { appendFileSync, chmodSync, existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeEach, describe, expect, test } from '@jest/globals'
import { COMMAND, dunelight } from '../../../test/command.js'
import { pause, text, useHouse } from '../../../test/house.js'
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

  test('is not carried on where something has changed, and says what', async () => {
    await start(args('changed', []), () => existsSync(join(folderOf('changed'), 'checkpoint.json')), 0)
    const snippet = `${house.house}/snippets/house/style.yaml`
    const [style, rows] = [text(snippet), text(table())]
    writeFileSync(snippet, style.replace('Short sentences.', 'Long sentences.'))
    appendFileSync(table(), 'MH-99999,late,lamp,,1890,oak,1,1,H0,on display,Sound.,2026-05-05,,\n')
    const { code, err } = dunelight('resume', folderOf('changed'))
    expect([code, err]).toEqual([
      1,
      expect.stringMatching(/the prompt "label\/write" has changed[\s\S]*the table many\.csv has changed: it had \d+ bytes, and has \d+/),
    ])
    writeFileSync(snippet, style)
    writeFileSync(table(), rows)
    expect(err).toContain('[run-changed]')
    expect(dunelight('runs', house.house, '--runs', house.at('changed')).out).toMatch(/broken off .*dunelight resume/)
    expect(dunelight('resume', folderOf('changed')).code).toBe(3)
    expect(dunelight('resume', folderOf('changed')).err).toContain('[run-over]')
    expect(dunelight('resume', house.at('nowhere')).err).toContain('[run-unreadable]')
  })

  test('is left alone while somebody is at it', async () => {
    const child = spawn(process.execPath, [COMMAND, ...args('alive', [])], { stdio: 'ignore' })
    while (!begun('alive')) await pause(3)
    child.kill('SIGSTOP')
    const { code, err } = await start(['resume', folderOf('alive')])
    child.kill('SIGKILL')
    expect([code, err]).toEqual([1, expect.stringContaining('[run-alive]')])
  })

  test('where nobody may write, says so', () => {
    const runs = house.at('locked')
    mkdirSync(runs)
    chmodSync(runs, 0o500)
    // Root may write anywhere: there is nothing to see then.
    if (process.getuid?.() === 0) return
    expect(dunelight('run', house.house, 'tonight', '--runs', runs)).toMatchObject({
      code: 1,
      err: expect.stringContaining('no permission') as unknown,
    })
  })
})
