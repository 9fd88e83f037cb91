import { existsSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { AnswerLog } from '@dunelight/node/host'
import { MOCK_FAULTS, type MockFault } from 'dunelight/host'
import { start, useModels } from '../../../test/asking.js'
import { goesOn, linesOf, pause, text, times, useHouse } from '../../../test/house.js'
import { generateObjects } from '../../../scripts/generate.mjs'

const house = useHouse()
const { asked, served } = useModels(house)

test('a model that misbehaves in every way ends with each record answered or rejected, and no duplicates', async () => {
  const RECORDS = times(60, 250)
  const ways = Object.keys(MOCK_FAULTS) as MockFault[]
  const faults = { ...Object.fromEntries(ways.map((way) => [way, 0.25 / ways.length])), refusal: 0.1 }
  await served('storm', { faults, delay: 5, seed: 3 }, ['timeout: 0.6', 'concurrency: 16', 'attempts: 6'])
  const table = house.pathOf('storm.csv')
  await generateObjects(RECORDS, table)
  const { code, err } = await asked('label/write', '--records', table, '--model', 'storm', '--to', house.pathOf('storm.jsonl'))
  expect([0, 3]).toContain(code)
  const answered = linesOf(house.pathOf('storm.jsonl')).map((line) => line['record'])
  const rejected = linesOf(`${house.house}/runs/label-write-1/rejected.jsonl`).map((line) => line['record'])
  expect(answered).toEqual([...answered].sort())
  expect(text(`${house.house}/runs/label-write-1/rejected.jsonl`)).toContain('"answer-refused"')
  expect(new Set([...answered, ...rejected]).size).toBe(RECORDS)
  expect(answered.length + rejected.length).toBe(RECORDS)
  expect(answered.length).toBeGreaterThan(RECORDS * 0.7)
  for (const line of linesOf(`${house.house}/runs/label-write-1/rejected.jsonl`))
    expect((line['problems'] as unknown[]).length).toBeGreaterThan(0)
  expect(err).toMatch(/correction requests?, \d+ retries/)
})

describe('a run that asks and is killed', () => {
  const RECORDS = 90
  const AT_ONCE = 4
  const FEW = 2

  test('at any moment asks no answered question again, and comes to the same end', async () => {
    const table = house.pathOf('killed.csv')
    await generateObjects(RECORDS, table)
    const faults = { 'wrong-label': 0.05, empty: 0.05, figure: 0.05 }
    const lanes = await Promise.all([0, 1].map((lane) => served(`lane-${lane}`, { faults, delay: 20 }, [`concurrency: ${AT_ONCE}`])))
    const words = (lane: number, name: string) => [
      'ask',
      house.house,
      'label/write',
      '--records',
      table,
      '--model',
      `lane-${lane}`,
      '--fresh',
      '--runs',
      house.pathOf(name),
      '--to',
      house.pathOf(`${name}.jsonl`),
    ]
    const outcome = (name: string) => [text(house.pathOf(`${name}.jsonl`)), text(house.pathOf(`${name}/label-write-1/rejected.jsonl`))]
    // A mock model answers the same question in another way when it is asked again: what was under way when all ended may be.
    const plain = (name: string) => outcome(name)[0]!.replaceAll(/"model":"lane-\d"/g, '')
    await start(...words(0, 'whole')).ended
    let broken = 0
    let rounds = 0
    const lane = async (which: number) => {
      for (let k = which; goesOn(k, FEW, 30); k += 2) {
        const name = `k${k}`
        rounds++
        const before = lanes[which]!.requests()
        const { child, ended } = start(...words(which, name))
        while (!existsSync(house.pathOf(`${name}/label-write-1/run.json`)) && child.exitCode === null) await pause(2)
        await Promise.race([ended, pause(Math.random() * 600)])
        child.kill('SIGKILL')
        await ended
        const kept = await AnswerLog.open(house.pathOf(`${name}/label-write-1/answers.jsonl`))
        const known = kept.size
        await kept.close()
        const { err } = await start('resume', house.pathOf(`${name}/label-write-1`)).ended
        if (!err.includes('has finished')) broken++
        const keys = linesOf(house.pathOf(`${name}/label-write-1/answers.jsonl`)).map((line) => line['key'])
        expect([k, new Set(keys).size]).toEqual([k, keys.length])
        expect(lanes[which]!.requests() - before).toBeLessThanOrEqual(keys.length + AT_ONCE)
        expect(keys.length).toBeGreaterThanOrEqual(known)
        expect([...linesOf(house.pathOf(`${name}.jsonl`)), ...linesOf(house.pathOf(`${name}/label-write-1/rejected.jsonl`))]).toHaveLength(
          RECORDS,
        )
        if (k === 0) expect(plain(name).split('\n').length).toBe(plain('whole').split('\n').length)
      }
    }
    await Promise.all([lane(0), lane(1)])
    expect(broken).toBeGreaterThan(rounds / 2 - 2)
  }, 480_000)
})
