import { writeFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { useHouse } from '../../../../test/house.js'
import { AnswerLog } from './answer-log.js'

const house = useHouse()

test('a log that ends in the middle of a line loses only that line, with a notice', async () => {
  const path = house.pathOf('torn.jsonl')
  const line = (key: string) => JSON.stringify({ key, record: key, prompt: 'p', model: 'm', at: '', text: `reply ${key}`, finish: 'done' })
  writeFileSync(path, `${line('a')}\n${line('b')}\n${line('c').slice(0, 30)}`)
  const stated: string[] = []
  const log = await AnswerLog.open(path, (p) => stated.push(p.code))
  await log.add(JSON.parse(line('d')) as never)
  expect(stated).toEqual(['answer-line-broken'])
  expect([await log.get('a'), await log.get('c'), await log.get('d')]).toMatchObject(
    [{ text: 'reply a' }, {}, { text: 'reply d' }].map((item, i) => (i === 1 ? undefined : item)),
  )
  await log.close()
  const answerLog = await AnswerLog.open(path)
  expect([answerLog.size, (await answerLog.get('d'))?.text]).toEqual([3, 'reply d'])
  await answerLog.close()
})

test('a log finds its answers where another process has added some to the same file', async () => {
  const path = house.pathOf('shared.jsonl')
  const answer = (key: string) => ({
    key,
    record: key,
    prompt: 'p',
    model: 'm',
    at: '',
    text: `reply ${key.repeat(9)}`,
    finish: 'done' as const,
  })
  const [answerLog, other] = [await AnswerLog.open(path), await AnswerLog.open(path)]
  for (const key of ['a', 'b', 'c']) {
    await answerLog.add(answer(key))
    await other.add(answer(key.toUpperCase()))
  }
  for (const key of ['a', 'b', 'c'])
    expect([(await answerLog.get(key))?.text, (await other.get(key.toUpperCase()))?.text]).toEqual([
      answer(key).text,
      answer(key.toUpperCase()).text,
    ])
  await Promise.all([answerLog.close(), other.close()])
})
