import { spawn } from 'node:child_process'
import { appendFileSync, chmodSync, existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { COMMAND, dunelight } from '../../../test/command.js'
import { pause, text, useHouse } from '../../../test/house.js'
import { useLongRun } from '../../../test/long-run.js'

const house = useHouse()

describe('a run that broke off', () => {
  const { args, begun, folderOf, start, table } = useLongRun(house)

  test('is refused after a change, which the message names', async () => {
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
    expect(dunelight('runs', house.house, '--runs', house.pathOf('changed')).out).toMatch(/crashed .*dunelight resume/)
    expect(dunelight('resume', folderOf('changed')).code).toBe(3)
    expect(dunelight('resume', folderOf('changed')).err).toContain('[run-finished]')
    expect(dunelight('resume', house.pathOf('nowhere')).err).toContain('[run-unreadable]')
  })

  test('is refused while another process runs it', async () => {
    const child = spawn(process.execPath, [COMMAND, ...args('alive', [])], { stdio: 'ignore' })
    while (!begun('alive')) await pause(3)
    child.kill('SIGSTOP')
    const { code, err } = await start(['resume', folderOf('alive')])
    child.kill('SIGKILL')
    expect([code, err]).toEqual([1, expect.stringContaining('[run-active]')])
  })

  test('reports that the folder cannot be written', () => {
    const runs = house.pathOf('locked')
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
