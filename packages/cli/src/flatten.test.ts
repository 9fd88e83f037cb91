import { writeFileSync } from 'node:fs'
import { expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'
import { text, useHouse } from '../../../test/house.js'

const house = useHouse()

/** A prompt whose answer has a list of records, a record and a text. */
function prepare(): void {
  const part = '{ name: text, year: { type: integer, min: 1700, max: 1900 } }'
  writeFileSync(
    `${house.house}/outputs/parts.yaml`,
    `kind: fields\nfields: { parts: { type: list of record, min-items: 2, max-items: 3, fields: ${part} }, maker: { type: record, fields: { name: text, town: text } }, words: list of text }\n`,
  )
  const item = 'item: { type: record, fields: { object-no: text, title: text } }'
  writeFileSync(
    `${house.house}/prompts/parts.yaml`,
    `title: Parts\noutput: parts\nvariables: { ${item} }\nturns: [{ user: "{item.title}" }]\n`,
  )
  writeFileSync(
    `${house.house}/prompts/next.yaml`,
    'title: Next\nvariables: { item: { type: record, fields: { object-no: text, name: text, year: integer } } }\nturns: [{ user: "{item.object-no}: {item.name}, {item.year}" }]\n',
  )
  writeFileSync(
    `${house.house}/batches/parts.yaml`,
    'prompt: parts\nrecords: { from: ../data/objects.csv, as: item }\ntake: 5\nflatten: [answer.parts, answer.maker]\n',
  )
}

test('a list becomes rows and a record columns, and the next prompt reads the table', () => {
  prepare()
  for (const ending of ['csv', 'jsonl']) {
    const to = house.pathOf(`parts.${ending}`)
    expect(dunelight('ask', house.house, 'parts', '--to', to, '--runs', house.pathOf(ending)).code).toBe(0)
    const written = text(to).trimEnd().split('\n')
    const names = ending === 'csv' ? written[0]!.split(',') : Object.keys(JSON.parse(written[0]!) as object)
    expect(names).toEqual(expect.arrayContaining(['Object No.', 'Title', 'name', 'year', 'maker.name', 'town', 'words']))
    expect(names).not.toContain('parts')
    const next = dunelight(
      'run',
      house.house,
      'next',
      '--records',
      to,
      '--name',
      '{item.object-no}-{item.year}',
      '--to',
      '-',
      '--runs',
      house.pathOf(`next-${ending}`),
    )
    // Two or three parts for each of five records.
    const rows = next.out.trimEnd().split('\n').length
    expect([next.code, rows >= 10, rows <= 15, next.err.includes('0 rejected')]).toEqual([0, true, true, false])
  }
})

test('what is no list is refused when the library opens, and two lists are too', () => {
  prepare()
  const ask = (...more: string[]) => dunelight('ask', house.house, 'parts', ...more, '--runs', house.pathOf('runs')).err
  expect(ask('--flatten', 'answer.part')).toContain('the answer has no list or record "part" [flatten-invalid]')
  expect(ask('--flatten', 'answer.parts', '--flatten', 'answer.words')).toContain('several lists: parts, words [flatten-lists]')
  writeFileSync(
    `${house.house}/batches/parts.yaml`,
    'prompt: parts\nrecords: { from: ../data/objects.csv, as: item }\nflatten: answer.part\n',
  )
  const { code, out, err } = dunelight('check', house.house)
  expect([code, `${out}${err}`]).toEqual([1, expect.stringContaining('did you mean "parts"?')])
})
