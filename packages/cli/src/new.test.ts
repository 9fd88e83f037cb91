import { existsSync, mkdirSync, readdirSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import { resolve } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { COMMAND, dunelight } from '../../../test/command.js'
import { text, useHouse } from '../../../test/house.js'

const house = useHouse()

describe('a new library', () => {
  test('is valid, and the commands that are named next work', () => {
    const library = house.pathOf('mine')
    const made = dunelight('new', library)
    expect(made.code).toBe(0)
    expect(made.out.trimEnd().split('\n')).toContain(`${library}/prompts/describe.yaml`)
    expect(dunelight('check', library).out).toContain('valid · 2 prompts · 0 errors · 0 warnings')
    const next = [...made.err.matchAll(/^ {2}dunelight (.+)$/gm)].map((match) => match[1]!.split(' '))
    expect(next.map(([name]) => name)).toEqual(['show', 'run', 'ask'])
    for (const words of next) expect([words, dunelight(...words).code]).toEqual([words, 0])
    expect(text(`${library}/out/cards.jsonl`).trimEnd().split('\n')).toHaveLength(12)
  })

  test('is made in the current folder, which stays the same one', () => {
    mkdirSync(house.pathOf('here'))
    const script = `"$0" "$1" new . && "$0" "$1" check`
    const { stdout } = spawnSync('bash', ['-c', script, process.execPath, resolve(COMMAND)], {
      cwd: house.pathOf('here'),
      encoding: 'utf8',
    })
    expect(stdout).toContain('.: valid · 2 prompts')
  })

  test('takes an empty folder, and nothing that is there already', () => {
    mkdirSync(house.pathOf('empty'))
    expect(dunelight('new', house.pathOf('empty')).code).toBe(0)
    const again = dunelight('new', house.pathOf('empty'))
    expect([again.code, again.err]).toEqual([1, expect.stringContaining('[folder-taken]')])
    expect(dunelight('new', `${house.objects}/inside`).code).toBe(1)
    expect(readdirSync(house.pathOf('.')).filter((name) => name.endsWith('.new'))).toEqual([])
    expect(existsSync(house.objects)).toBe(true)
  })
})
