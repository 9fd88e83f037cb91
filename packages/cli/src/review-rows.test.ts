import { readdirSync, writeFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'
import { text, useHouse } from '../../../test/house.js'

const house = useHouse()

test('rows are shown as rows, and one of them is regenerated alone', () => {
  writeFileSync(`${house.house}/outputs/facts.yaml`, 'kind: rows\nrow: "<fact: 3 to 8 words> (<year: integer>)"\ncount: 3\n')
  writeFileSync(
    `${house.house}/prompts/facts.yaml`,
    'title: Facts\noutput: facts\nvariables: { item: { type: record, fields: { object-no: text, title: text } } }\nturns: [{ user: "{item.title}" }]\n',
  )
  const runs = house.pathOf('runs')
  expect(dunelight('ask', house.house, 'facts', '--records', house.objects, '--take', '2', '--runs', runs).code).toBe(0)
  const run = `${runs}/facts-1`
  const all = dunelight('review', run).out
  expect([all.includes('[object'), / \(\d+\) \/ /.test(all)]).toEqual([false, true])
  expect(dunelight('review', run, '--record', 'MH-0001').err).toContain('MH-0001:rows.1, MH-0001:rows.2, MH-0001:rows.3')
  const regenerated = dunelight('review', run, '--regenerate', 'MH-0001:rows.2')
  expect([regenerated.code, regenerated.err]).toEqual([0, expect.stringContaining('rows.2 regenerated, the rest from answer 1')])
  const [first, second] = dunelight('review', run, '--record', 'MH-0001')
    .out.split(/^\[\d\].*\n/m)
    .slice(1)
  const [before, after] = [first!.trim().split('\n'), second!.trim().split('\n')]
  expect([after[0], after[2], after[1] === before[1]]).toEqual([before[0], before[2], false])
  expect(dunelight('review', run, '--regenerate', 'MH-0001:rows.9').err).toContain('[part-unknown]')
})

test('accepted documents are written, and a mock answer says so in each file', () => {
  const runs = house.pathOf('letters')
  expect(dunelight('ask', house.house, 'loan-round', '--take', '2', '--runs', runs).code).toBe(0)
  const run = `${runs}/${readdirSync(runs)[0]!}`
  const written = dunelight('review', run, '--accept-rest', '--documents', house.pathOf('docs'), '--as', 'md,html,docx')
  expect([written.code, written.err]).toEqual([0, expect.stringContaining('2 accepted documents')])
  const files = readdirSync(house.pathOf('docs'))
  expect(files.map((name) => name.split('.').at(-1)).sort()).toEqual(['docx', 'docx', 'html', 'html', 'md', 'md'])
  for (const name of files.filter((name) => !name.endsWith('docx')))
    expect(text(house.pathOf(`docs/${name}`))).toContain('Mock: no model wrote this document.')
  const again = dunelight('review', run, '--documents', house.pathOf('docs'))
  expect([again.code, again.err]).toEqual([2, expect.stringContaining('is not empty')])
})
