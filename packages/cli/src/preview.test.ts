import { writeFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { dunelight } from '../../../test/command.js'
import { useHouse } from '../../../test/house.js'

const house = useHouse()
const file = (path: string, text: string) => writeFileSync(`${house.house}/${path}`, text)

/** A prompt with a record, a text beside it, and a room that is found by a link table. */
function prepare(): void {
  file(
    'prompts/place.yaml',
    `title: Place
variables:
  item: { type: record, fields: { number: text, title: text } }
  draft: { type: text, max-length: 20 }
  room: { type: record, fields: { code: text, name: text } }
turns: [{ user: "{item.title} in {room.name}: {draft}" }]
`,
  )
  file('data/things.csv', 'number,title,body\nA1,Lamp,Bright.\nA2,Bell,Loud.\n')
  file('data/links.csv', 'object,place\nA1,R1\nA2,R2\n')
  file('data/places.csv', 'code,name\nR1,Hall\nR2,Tower\n')
  file(
    'batches/places.yaml',
    `prompt: place
records: { from: ../data/things.csv, as: item }
columns: { draft: body }
join:
  - { from: ../data/links.csv, as: link, where: link.object is item.number }
  - { from: ../data/places.csv, as: room, where: room.code is link.place }
`,
  )
}

describe('a row that gives a record and more, joined by a link table', () => {
  test('is shown, asked and run in the same way', () => {
    prepare()
    const shown = dunelight('show', house.house, 'places', '--record', 'A2', '--json')
    expect([shown.code, shown.err]).toEqual([0, ''])
    expect((JSON.parse(shown.out) as { turns: { text: string }[] }).turns[0]!.text).toBe('Bell in Tower: Loud.')
    const run = dunelight('run', house.house, 'places', '--to', '-', '--runs', house.pathOf('runs'))
    expect([run.code, run.out]).toEqual([0, expect.stringContaining('Bell in Tower: Loud.')])
    expect(dunelight('ask', house.house, 'places', '--record', 'A1').code).toBe(0)
    // The same by options, and the first record where none is named.
    const links = [
      '--join',
      'data/links.csv as link where link.object is item.number',
      '--join',
      'data/places.csv as room where room.code is link.place',
    ]
    const records = ['--records', `${house.house}/data/things.csv`, '--as', 'item', '--column', 'draft=body']
    expect(dunelight('show', house.house, 'place', ...records, ...links).out).toContain('Hall')
    const fit = dunelight('fit', house.house, 'places')
    expect([fit.code, fit.out]).toEqual([
      0,
      expect.stringMatching(/draft\s+text\s+[=≈] body[^]*all are valid|all are valid[^]*draft\s+text\s+[=≈] body/),
    ])
    expect(dunelight('show', house.house, 'places', '--record', 'A9').err).toContain('A9')
  })

  test('a variable beside the record takes the column of its name, and its cells are checked', () => {
    prepare()
    file('data/things.csv', `number,title,draft\nA1,Lamp,Bright.\nA2,Bell,${'x'.repeat(30)}\n`)
    file('batches/places.yaml', 'prompt: place\nrecords: { from: ../data/things.csv, as: item }\nset: { room: { code: R, name: Hall } }\n')
    const { code, out } = dunelight('fit', house.house, 'places')
    expect([code, out]).toEqual([3, expect.stringContaining('1 valid, 1 would be rejected')])
  })

  test('fit counts what a run would reject: a repeated name, a rendering over its limit', () => {
    prepare()
    file('data/things.csv', 'number,title,body\nA1,Lamp,Bright.\nA1,Bell,Loud.\n')
    const fit = dunelight('fit', house.house, 'places', '--name', '{item.number}')
    expect([fit.code, fit.out]).toEqual([3, expect.stringMatching(/1 valid, 1 would be rejected[^]*row 2: .*A1/)])
    expect(dunelight('run', house.house, 'places', '--name', '{item.number}', '--to', '-', '--runs', house.pathOf('runs')).code).toBe(3)
  })

  test('a join without an equality is an error of its file and line', () => {
    prepare()
    file(
      'batches/places.yaml',
      'prompt: place\nrecords: { from: ../data/things.csv, as: item }\njoin:\n  - { from: ../data/places.csv, as: room, where: room.code > "R" }\n',
    )
    const { code, out, err } = dunelight('check', house.house)
    expect([code, `${out}${err}`]).toEqual([1, expect.stringMatching(/batches\/places\.yaml:4:\d+ error: .*\[join-unequal\]/)])
  })
})
