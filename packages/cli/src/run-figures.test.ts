import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { gunzipSync } from 'node:zlib'
import { expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'
import { useHouse } from '../../../test/house.js'

const house = useHouse()
const records = () => ['--records', house.objects, '--take', '4', '--runs', house.pathOf('runs')]

test('run and ask print the budget that is left', () => {
  const run = dunelight('run', house.house, 'label/write', ...records(), '--tokens', '--budget', '100k')
  const [, tokens, left] = /([\d,]+) tokens \(([\d,]+) of the budget of 100,000 left\)/.exec(run.err) ?? []
  const number = (text = '') => Number(text.replaceAll(',', ''))
  expect(number(tokens) + number(left)).toBe(100_000)
  expect(dunelight('ask', house.house, 'label/write', ...records(), '--budget', '100k').err).toMatch(
    /\([\d,]+ of the budget of 100,000 left\)/,
  )
})

test('a run keeps the turns that it sent, if it is told to', () => {
  const turns = (name: string) => house.pathOf(`runs/${name}/turns.jsonl.gz`)
  expect(dunelight('ask', house.house, 'survey/grade', ...records(), '--keep-turns').code).toBe(0)
  const kept = gunzipSync(readFileSync(turns('survey-grade-1')))
    .toString()
    .trimEnd()
    .split('\n')
  const lines = kept.map((line) => JSON.parse(line) as { record: string; row: number; turns: { role: string; text: string }[] })
  expect(lines.map(({ record }) => record)).toEqual(['MH-0001', 'MH-0002', 'MH-0003', 'MH-0004'])
  expect(lines[0]!.turns[0]!.role).toBe('system')
  expect(existsSync(house.pathOf('runs/survey-grade-1/turns.jsonl'))).toBe(false)
  expect(dunelight('ask', house.house, 'survey/grade', ...records()).code).toBe(0)
  expect(existsSync(turns('survey-grade-2'))).toBe(false)
})

test('attached documents and pictures count by an estimate of their pages and pixels', () => {
  const png = Buffer.alloc(64)
  png.set([0x89, 0x50, 0x4e, 0x47])
  png.writeUInt32BE(1500, 16)
  png.writeUInt32BE(1000, 20)
  const pdf = `%PDF-1.4\n${'<< /Type /Page >>\n'.repeat(3)}<< /Type /Pages >>\n%%EOF\n`
  writeFileSync(`${house.house}/data/plan.png`, png)
  writeFileSync(`${house.house}/data/plan.pdf`, pdf)
  const counted = (file: string) => {
    writeFileSync(
      `${house.house}/prompts/plan.yaml`,
      `title: Plan\nvariables: { item: { type: record, fields: { title: text } } }\nturns: [{ user: "{item.title}", attach: [../data/${file}] }]\n`,
    )
    const { out } = dunelight(
      'run',
      house.house,
      'plan',
      '--records',
      house.objects,
      '--take',
      '1',
      '--tokens',
      '--to',
      '-',
      '--runs',
      house.pathOf('plans'),
    )
    return (JSON.parse(out) as { tokens: number }).tokens
  }
  const [picture, document] = [counted('plan.png'), counted('plan.pdf')]
  expect([picture >= 2000 && picture < 2020, document >= 4500 && document < 4520]).toEqual([true, true])
})
