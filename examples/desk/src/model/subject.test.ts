import { describe, expect, test } from '@jest/globals'
import { sheetOf, turnsText } from './sheet.js'
import { Opener, Subject } from './subject.js'
import { readDeskTable, type DeskTable } from './table.js'
import { orderOf, NO_WISHES } from '../views/grid-order.js'
import { Pass, ROW } from './pass.js'

const FILES = {
  'prompts/card.yaml':
    'title: Card\nvariables:\n  item: { type: record, fields: { number: text, made: integer, room: text } }\n  room: { type: record, fields: { code: text, name: text }, optional: true }\nturns:\n  - user: |\n      {item.number} of {item.made}, in {room.name or "no room"}\n',
  'batches/upstairs.yaml':
    'title: Upstairs\nprompt: card\nrecords: { from: ../data/objects.csv, as: item }\njoin: [{ from: ../data/rooms.csv, as: room, where: item.room is room.code }]\nkeep: item.made > 1800\nname: "{item.number}"\n',
}
const OBJECTS = 'Number,Made,Room\nMH-1,1890,A\nMH-2,1744,A\nMH-3,c. 1900,B\nMH-4,1910,\n"MH-5,1,2\n'
const BESIDE = { attachments: {}, tables: {} }
const read = (text: string, name: string): Promise<DeskTable> => readDeskTable(new Blob([text]).stream(), name)
const opener = new Opener()

async function upstairs(files: Readonly<Record<string, string>> = FILES) {
  const table = await read(OBJECTS, 'objects.csv')
  const joined = new Map([['data/rooms.csv', await read('Code,Name\nA,the lamp room\nB,the loft\n', 'rooms.csv')]])
  return { table, subject: new Subject(opener.open(files, BESIDE), { prompt: 'card', batch: 'upstairs' }, table, joined) }
}

describe('the records of a batch on the desk', () => {
  test('are joined, left out and rejected as in the batch', async () => {
    const { subject, table } = await upstairs()
    // The quote of the last row is never closed: it is not a row, and the table reports it.
    expect([table.rows.length, table.problems.map(({ code }) => code)]).toEqual([4, ['quote-open']])
    const sheet = sheetOf(subject, 0, undefined, true)
    expect([sheet.record?.id, sheet.rendering?.turns[0]?.text]).toEqual(['MH-1', 'MH-1 of 1890, in the lamp room'])
    expect(sheet.rendering?.turns[0]?.origins.some(({ path }) => path === 'room.name')).toBe(true)
    expect(subject.record(1)).toBeUndefined()
    expect(sheetOf(subject, 1, undefined, true)).toMatchObject({ record: undefined, problems: [] })
    expect(sheetOf(subject, 2, undefined, true).problems[0]?.message).toContain('"c. 1900" is not a whole number')
  })

  test('take values by hand in their place', async () => {
    const { subject } = await upstairs()
    const sheet = sheetOf(subject, 1, { item: { number: 'MH-9', made: 1700, room: 'A' } }, true)
    expect(sheet.rendering?.turns[0]?.text).toBe('MH-9 of 1700, in no room')
    expect(sheetOf(subject, 1, {}, true).problems.map(({ code }) => code)).toContain('value-missing')
  })

  test('report what is wrong with a prompt, a batch or a table instead of rendering', async () => {
    const { subject: unknown } = await upstairs({
      ...FILES,
      'prompts/card.yaml': FILES['prompts/card.yaml'].replace('item.made}', 'item.maid}'),
    })
    expect(
      sheetOf(unknown, 0, undefined, true)
        .problems.map(({ message }) => message)
        .join(),
    ).toContain('unknown field "maid" of "item"')
    const other = await read('A,B\n1,2\n', 'other.csv')
    const subject = new Subject(opener.open(FILES, BESIDE), { prompt: 'card', batch: undefined }, other, new Map())
    expect(subject.record(0)?.problems.map(({ code }) => code)).toContain('heading-missing')
    expect(turnsText(subject, 0)).toBeUndefined()
  })
})

test('a dropped spreadsheet is refused with a hint', async () => {
  const table = await read('PK\u0003\u0004', 'visits.xlsx')
  expect([table.rows, table.problems.map(({ message }) => message)]).toEqual([
    [],
    [expect.stringContaining('put it into the library’s folder')],
  ])
})

describe('the order of the grid', () => {
  const rows = [
    ['b', '10'],
    ['a', '9'],
    ['', '2'],
    ['c', ''],
    ['a', '1'],
  ]
  const table: DeskTable = {
    name: 't',
    headings: ['word', 'size'],
    rows,
    named: undefined,
    misread: new Map(),
    problems: [],
    cut: false,
    documents: new Map(),
  }
  const order = (wishes: Partial<typeof NO_WISHES>, pass?: Pass) => [...orderOf(table, pass, { ...NO_WISHES, ...wishes })]

  test('is by size for numbers, by letter for words, empty cells last in both directions', () => {
    expect(order({ sort: { column: 1, down: false } })).toEqual([4, 2, 1, 0, 3])
    expect(order({ sort: { column: 1, down: true } })).toEqual([0, 1, 2, 4, 3])
    expect(order({ sort: { column: 0, down: false } })).toEqual([1, 4, 0, 3, 2])
  })

  test('applies every filter and the state filter', () => {
    expect(order({ filters: new Map([[0, 'A']]) })).toEqual([1, 4])
    expect(
      order({
        filters: new Map([
          [0, 'a'],
          [1, '9'],
        ]),
      }),
    ).toEqual([1])
    const pass = new Pass(1, rows.length)
    pass.take({
      id: 1,
      from: 0,
      states: Uint8Array.of(1, 1, 2, 3, 1),
      changed: Uint8Array.of(0, 1, 0, 0, 0),
      tokens: new Uint32Array(5),
      done: true,
    })
    expect([order({ state: 'rejected' }, pass), order({ state: 'changed' }, pass), order({ state: 'out' }, pass)]).toEqual([[2], [1], [3]])
    expect(pass.counts).toEqual({ fits: 3, rejected: 1, out: 1, changed: 1 })
    expect(new Pass(2, rows.length, pass).states[2]).toBe(ROW.rejected)
    expect(new Pass(3, rows.length + 1, pass).states[2]).toBe(ROW.unknown)
  })
})

test('a JSON Schema with rules beyond fields is checked without generating code', () => {
  const schema = {
    type: 'object',
    required: ['parts'],
    additionalProperties: false,
    properties: {
      parts: {
        type: 'array',
        items: { type: 'object', required: ['name'], properties: { name: { type: 'string', pattern: '^[a-z]+$' } } },
      },
    },
    if: { required: ['parts'] },
    then: { properties: { parts: { minItems: 1 } } },
  }
  const library = opener.open(
    { 'outputs/parts.schema.json': JSON.stringify(schema), 'prompts/p.yaml': 'title: P\noutput: parts\nturns: [{ user: x }]\n' },
    BESIDE,
  )
  expect(library.problems).toEqual([])
  const read = (reply: unknown) =>
    library
      .prompt('p')
      .form()!
      .read(JSON.stringify(reply))
      .problems.map(({ message }) => message)
  expect(read({ parts: [{ name: 'wick' }] })).toEqual([])
  expect(read({ parts: [{ name: 'Wick' }] }).join()).toMatch(/parts\.1\.name/)
  expect(read({ parts: [] })).toEqual([expect.stringContaining('"parts" Array has too few items')])
})
