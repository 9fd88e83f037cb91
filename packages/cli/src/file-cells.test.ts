import { mkdirSync, writeFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'
import { text, useHouse } from '../../../test/house.js'

const house = useHouse()

/** A table that stands outside the library, with documents beside it and below the library. */
function prepare(): string {
  const folder = house.pathOf('papers')
  mkdirSync(`${folder}/scans`, { recursive: true })
  writeFileSync(`${folder}/scans/a.md`, 'The lamp was given in 1911.')
  writeFileSync(`${folder}/scans/b.png`, Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0]))
  writeFileSync(`${house.house}/data/c.txt`, 'The bell was cast twice.')
  writeFileSync(house.pathOf('secret.txt'), 'never to be read')
  writeFileSync(
    `${house.house}/prompts/paper.yaml`,
    `title: Paper
variables:
  item: { type: record, fields: { number: text, title: text } }
  paper: { type: file, untrusted: true }
turns: [{ user: "{item.title}", attach: [paper] }]
`,
  )
  const rows = [
    'A1,Lamp,scans/a.md',
    'A2,Plan,scans/b.png',
    'A3,Bell,data/c.txt',
    'A4,None,scans/none.md',
    'A5,Outside,../secret.txt',
    `A6,Absolute,${house.pathOf('secret.txt')}`,
    'A7,Written,"data:text/plain,Written%20out."',
  ]
  writeFileSync(`${folder}/papers.csv`, `number,title,paper\n${rows.join('\n')}\n`)
  return `${folder}/papers.csv`
}

test('a cell may hold the path of a document, below the library or the table, in run, ask, show and fit', () => {
  const table = prepare()
  const options = ['--records', table, '--as', 'item', '--runs', house.pathOf('runs')]
  const run = dunelight('run', house.house, 'paper', ...options, '--to', '-', '--workers', '2')
  expect(run.code).toBe(3)
  const lines = run.out
    .trimEnd()
    .split('\n')
    .map((line) => JSON.parse(line) as { record: string; turns: { parts: object[] }[] })
  expect(lines.map(({ record, turns }) => [record, turns[0]!.parts])).toMatchObject([
    ['A1', [{ kind: 'text', name: 'a.md', text: expect.stringContaining('given in 1911') }]],
    ['A2', [{ kind: 'file', name: 'b.png', mediaType: 'image/png' }]],
    ['A3', [{ kind: 'text', name: 'c.txt' }]],
    ['A7', [{ kind: 'text' }]],
  ])
  const rejected = text(house.pathOf('runs/paper-1/rejected.jsonl'))
  expect(rejected).not.toContain('never to be read')
  expect(
    rejected
      .trimEnd()
      .split('\n')
      .map((line) => (JSON.parse(line) as { record: string }).record),
  ).toEqual(['A4', 'A5', 'A6'])
  expect(rejected).toContain('"cell-file"')
  // The rejected row keeps its cells, and can be corrected.
  expect(rejected).toContain('scans/none.md')
  const fit = dunelight('fit', house.house, 'paper', '--records', table, '--as', 'item')
  expect([fit.code, fit.out]).toEqual([3, expect.stringContaining('4 valid, 3 would be rejected')])
  expect(dunelight('ask', house.house, 'paper', '--records', table, '--as', 'item', '--record', 'A1').code).toBe(0)
  expect(dunelight('show', house.house, 'paper', '--records', table, '--as', 'item', '--record', 'A3').out).toContain('Bell')
})

test('a document over the limit is rejected before it is read', () => {
  const table = prepare()
  writeFileSync(`${house.house}/dunelight.yaml`, `${text(`${house.house}/dunelight.yaml`)}\nlimits: { attachment-bytes: 20 }\n`)
  const { err } = dunelight('run', house.house, 'paper', '--records', table, '--as', 'item', '--runs', house.pathOf('few'), '--to', '-')
  expect(err).toMatch(/a\.md/)
})
