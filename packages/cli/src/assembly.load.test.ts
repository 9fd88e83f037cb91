import { existsSync, readdirSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { start, useModels } from '../../../test/asking.js'
import { goesOn, linesOf, pause, text, useHouse } from '../../../test/house.js'

const house = useHouse()
const { served } = useModels(house)

const AT_ONCE = 4
const FEW = 2
const ROUNDS = 30
/** A run has a few more of them. */
const ANSWERS = 25

/** The answers that a run has received, whole lines only; below 0 while it has no folder. */
function answersOf(run: string): number {
  if (!existsSync(`${run}/run.json`)) return -1
  return existsSync(`${run}/answers.jsonl`) ? text(`${run}/answers.jsonl`).split('\n').length - 1 : 0
}

test('a run of assemblies that is killed at any moment asks nothing twice, and comes to the documents that its answers make', async () => {
  const server = await served('desk', { delay: 15, faults: { empty: 0.05 } }, [`concurrency: ${AT_ONCE}`])
  const words = (name: string, ...more: string[]) => [
    ...[
      'ask',
      house.house,
      'room-guides',
      '--keep',
      'room.floor < 9 and room.code in ("D0", "L1")',
      '--model',
      'desk',
      '--corrections',
      '8',
      '--runs',
      house.pathOf(name),
    ],
    ...['--to', house.pathOf(`${name}-out/{room.code}.md`), ...more],
  ]
  const documents = (name: string) =>
    readdirSync(house.pathOf(`${name}-out`)).map((file) => [file, text(house.pathOf(`${name}-out/${file}`))])
  let broken = 0
  let rounds = 0
  for (let k = 0; goesOn(k, FEW, ROUNDS); k++) {
    rounds++
    const name = `k${k}`
    const run = house.pathOf(`${name}/room-guides-1`)
    const before = server.requests()
    const { child, ended } = start(...words(name, '--fresh'))
    // Killed after as many answers as chance wants, so that it does not depend on how quick the machine is.
    const moment = Math.random() * ANSWERS
    while (child.exitCode === null && answersOf(run) <= moment) await pause(1)
    child.kill('SIGKILL')
    await ended
    const kept = answersOf(run)
    const { code, err } = await start('resume', run).ended
    if (!err.includes('has finished')) {
      broken++
      expect([k, code]).toEqual([k, 0])
    }
    const keys = linesOf(`${run}/answers.jsonl`).map((line) => line['key'])
    expect([k, new Set(keys).size]).toEqual([k, keys.length])
    expect(keys.length).toBeGreaterThanOrEqual(kept)
    expect(server.requests() - before).toBeLessThanOrEqual(keys.length + AT_ONCE)
    // The same answers, from the cache of the library, make the same documents; nothing more is asked for them.
    const asked = server.requests()
    expect((await start(...words(`again-${k}`)).ended).code).toBe(0)
    expect(server.requests()).toBe(asked)
    expect(documents(`again-${k}`)).toEqual(documents(name))
    expect(documents(name).map(([file]) => file)).toEqual(['D0.md', 'L1.md'])
  }
  expect(broken).toBeGreaterThanOrEqual(rounds / 2)
}, 480_000)
