import { readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { goesOn, text, useHouse } from '../../../test/house.js'
import { useLongRun } from '../../../test/long-run.js'

const house = useHouse()

describe('a run that broke off', () => {
  const { args, begun, folderOf, start } = useLongRun(house)

  const fileOf = (name: string) => JSON.parse(text(join(folderOf(name), 'run.json'))) as { state: string; seconds: number; counts: unknown }
  const FEW = 4

  test('at any moment comes to the same end, byte for byte', async () => {
    const whole = [readFileSync(house.pathOf('whole.jsonl')), readFileSync(join(folderOf('whole'), 'rejected.jsonl'))]
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
      else expect(err).toContain('has finished')
      const same = [readFileSync(house.pathOf(`${name}.jsonl`)), readFileSync(join(folderOf(name), 'rejected.jsonl'))].map((bytes, i) =>
        bytes.equals(whole[i]!),
      )
      expect([k, ...same]).toEqual([k, true, true])
      expect(fileOf(name).counts).toEqual(counts)
      rmSync(house.pathOf(name), { recursive: true })
      rmSync(house.pathOf(`${name}.jsonl`))
    }
    const lane = async (first: number) => {
      for (let k = first; goesOn(k, FEW, 50); k += 2) await breakOff(k)
    }
    await Promise.all([lane(0), lane(1)])
    expect(broken).toBeGreaterThan(rounds * 0.4 - 2)
  }, 480_000)
})
