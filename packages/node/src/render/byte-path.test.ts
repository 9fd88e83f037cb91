import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { batchModel, libraryFrom, ProblemError, type Library, type Prompt } from 'dunelight'
import { batchOf, plainBatch, type Batch, type Pool } from 'dunelight/host'
import { times } from '../../../../test/house.js'
import { newCounts } from '../runs/counts.js'
import { work } from '../runs/engine.js'
import { Selection } from '../runs/selection.js'
import { doSteps, type Step } from '../runs/step.js'
import { RunStreams } from '../runs/streams.js'
import { recordsOf } from '../sources/records.js'
import { byteTable } from './byte-table.js'
import { LINES } from './output-form.js'
import { renderStep, type Rendering } from './render-step.js'
import { renderTable } from './render-table.js'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-bytes-'))
const [table, lines] = [join(folder, 'table.csv'), join(folder, 'table.jsonl')]
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const FIELDS = `
      no: { type: text, pattern: 'MH-\\d{1,4}' }
      title: text
      maker: { type: text, optional: true }
      made: { type: integer, min: 1500, max: 2030, optional: true }
      height: { type: number, min: 0 }
      status: { type: choice, of: [on display, "in store, dry"] }
      materials: { type: list of text, optional: true }
      seen: { type: date, optional: true }
      loud: { type: boolean, optional: true }
      note: { type: text, untrusted: true, optional: true }
      room: { type: text, default: B0 }
      gone: { type: text, optional: true, max-length: 40 }`

const PROMPTS = {
  plain: `'{item.no}: {item.title} in {item.room}'`,
  lines: `|
          {item.title}

          {item.maker}

            {item.note as fenced "note"}
          ~ when item.made > 1850
          new, {item.made}
          ~ otherwise when item.made
          old, {item.made as number}
          ~ end
          - {item.materials as sentence-list}
          {item.height as number} mm, {item.height}, {item.seen as date}, {item.seen}, {item.status}`,
  others: `|
          {item.maker or item.gone or "not known"} {when item.maker is "Old Jem"}himself{otherwise when item.loud}loud{end}
          {each m in item.materials joined ", "}{m}{end}
          {when item.title has "a"}

            {item.gone}
          {end}
          {vary}one{instead}two{end} {item.title as upper} {item.no as masked} {words}
          ~ use label/foot with height = item.height
          > {item.note as fenced}
          {item.materials}`,
  short: `|-
          {item.no as masked}

          {item.materials or "nothing"}{item.height}
          {when not item.seen and item.made <= 1850}{item.seen}{end}`,
} as const

function libraryOf(text: string): Library {
  return libraryFrom({
    'dunelight.yaml': 'locale: en-GB\n',
    'snippets/label/foot.yaml':
      'variables: { height: number, words: integer }\ntext: "{when height > 100}\\n  tall {height as number}\\n{end}"\n',
    'personas/keeper.yaml': 'who: the keeper\nvoice: [dry]\n',
    'prompts/p.yaml': `title: P
trusted: true
persona: keeper
variables:
  item:
    type: record
    fields:${FIELDS}
  words: { type: integer, default: 60 }
turns:
  - system: |
      ~ use persona
      Write {words} words.
  - user: ${text}
`,
  })
}

const HEAD = ['No', 'Title', 'Maker', 'Made', 'Height', 'Status', 'Materials', 'Seen', 'Loud', 'Note', 'Room']

/** Cells that fit, and cells of every kind that is near to them. */
const CELLS: readonly (readonly string[])[] = [
  ['MH-1', 'MH-23', 'MH-4567', 'mh-1', ' MH-8 ', '', 'MH-é'],
  [
    'Lamp',
    'a "storm" lamp',
    'é',
    '“Net”',
    'back\\slash',
    '\u00a0Lamp',
    'Lamp\u2003',
    'two\nlines',
    '\u0001',
    '',
    '𝄞 bell',
    '\u2028',
    'tab\there',
  ],
  ['', 'Old Jem', 'Jem\u0301', '</note>', '&lt;/note>', '  '],
  ['', '1890', '1500', '2031', '-5', '01890', '1,890', '1890.0', 'c. 1890', '999999999999999999'],
  ['100', '0', '12.50', '1,234', '1234567', '-0', '.5', '1e3', '', '123456789012345'],
  ['on display', 'in store, dry', 'On Display', 'lost', ''],
  ['', 'oak', 'oak;horn', ' oak ; horn ', ';', '["oak","horn"]', '[', 'é;ü', '<b>;x', 'a "b";c'],
  ['', '2026-02-18', '2026-02-30', '18.2.2026', ' 2026-02-18'],
  ['', 'yes', 'NO', '1', 'maybe'],
  ['', 'Rust.', '</note>', '<note>', 'a < b', '%3C/note>', '\u02c2/note>', 'one\n\n  two\nthree\n', '\\u003c/note>', '\r\nx', '＜/note＞'],
  ['', 'B0', 'L1', ' B0'],
]

const cell = (column: number) =>
  fc.oneof(
    { weight: 30, arbitrary: fc.constant(CELLS[column]?.[0] || (CELLS[column]?.[1] ?? '')) },
    { weight: 4, arbitrary: fc.constantFrom(...(CELLS[column] ?? [''])) },
    { weight: 1, arbitrary: fc.string({ maxLength: 12, unit: 'binary' }) },
  )

/** A row, most of them as they should be. */
const row = fc.record({
  cells: fc.tuple(...HEAD.map((_, column) => cell(column))),
  quotes: fc.integer({ min: 0, max: 3 }),
  more: fc.constantFrom('', '', '', '', '', ',one more', '\r\n\r\n', '   '),
  cut: fc.constantFrom(0, 0, 0, 0, 0, 0, 1),
})

const separated = fc.record({
  rows: fc.array(row, { minLength: 1, maxLength: 12 }),
  end: fc.constantFrom('\n', '\r\n', '\r'),
  delimiter: fc.constantFrom(',', ';', '\t'),
  last: fc.boolean(),
})

function textOf({ rows, end, delimiter, last }: typeof separated extends fc.Arbitrary<infer T> ? T : never): string {
  const quoted = (text: string, how: number) => {
    const needs = how === 0 || /["\r\n]/.test(text) || text.includes(delimiter)
    if (how === 3 && /^[^"\r\n]*$/.test(text) && !text.includes(delimiter)) return text
    return needs ? `"${text.replaceAll('"', '""')}"` : text
  }
  const lines = rows.map(({ cells, quotes, more, cut }) => {
    const written = cells.slice(0, cells.length - cut).map((text, i) => quoted(text, (quotes + i) % 4))
    return written.join(delimiter) + (delimiter === ',' ? more : more.replace(',', delimiter))
  })
  return [HEAD.join(delimiter), ...lines].join(end) + (last ? end : '')
}

/** Values of JSON that fit, and values of every kind that is near to them. */
const OTHER_VALUES = fc.constantFrom<unknown>(
  null,
  true,
  0,
  -0,
  1896,
  12.5,
  1e21,
  1234567,
  ['oak', 'a "b"\\'],
  [],
  [['x']],
  { room: 'B0' },
  '1896',
)

/** A column and a value for it. */
const oddValue = fc.nat(HEAD.length - 1).chain((column) =>
  fc.tuple(
    fc.constant(column),
    fc.oneof(
      fc.constantFrom(...(CELLS[column] ?? [])).map((text) => typedOf(column, text)),
      cell(column),
      OTHER_VALUES,
    ),
  ),
)

/** A cell as a record of JSON has it. */
function typedOf(column: number, text: string): unknown {
  const kind = HEAD[column]
  if (text === '') return null
  if (kind === 'Materials') return text.split(';')
  if (kind === 'Loud') return text === 'yes'
  return (kind === 'Made' || kind === 'Height') && Number.isFinite(Number(text)) ? Number(text) : text
}

/** A line of JSON, most of them as they should be. */
const line = fc
  .record({
    odd: fc.array(oddValue, { maxLength: 2 }),
    order: fc.constantFrom(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 2, 2, 3, 4),
    spaces: fc.constantFrom('', '', ' ', '\t', '\r'),
    escapes: fc.constantFrom('', '', 'all', 'slashes'),
    broken: fc.constantFrom(
      '',
      '',
      '',
      '',
      '',
      '',
      '',
      '',
      'half',
      'after',
      'twice',
      'none',
      'list',
      'exponent',
      'raw',
      'escape',
      '\n',
      '   ',
    ),
  })
  .map(({ odd, order, spaces, escapes, broken }) => {
    const kept = CELLS.map(([first, second], column) => typedOf(column, first || (second ?? '')))
    for (const [column, one] of odd) kept[column] = one
    const pairs = kept.map((one, column): [string, unknown] => [HEAD[column] ?? '', one])
    if (order === 1) pairs.reverse()
    if (order === 2) pairs.splice(3, 1)
    if (order === 3) pairs.push(['Gone', 'to the fair'], ['Other', 'to the fair'])
    if (order === 4) pairs.splice(2, 0, ['a "further" key', [1, { b: null }]])
    if (broken === 'twice') pairs.splice(6, 1, ['Title', 'Oar'])
    const text = pairs
      .map(([key, one]) => `${JSON.stringify(key)}${spaces}:${spaces}${escaped(JSON.stringify(one), escapes)}`)
      .join(`,${spaces}`)
    switch (broken) {
      case 'half':
        return `{${text}`
      case 'after':
        return `{${text}} }`
      case 'none':
        return '{}'
      case 'list':
        return `[${spaces}]`
      case 'exponent':
        return `{"Made":18e2,"Height":-0,${text}}`
      case 'raw':
        return `{${text},"Other":"a\u0001"}`
      case 'escape':
        return `{"Room":"\\x",${text}}`
      default:
        return `${spaces}{${spaces}${text}${spaces}}${spaces}${broken.trim() === '' ? broken : ''}`
    }
  })

/** JSON as others write it: with all its characters as escapes, or its slashes. */
function escaped(json: string, how: string): string {
  if (how === 'slashes') return json.replaceAll('/', '\\/')
  return how === 'all' ? json.replace(/[^ -~]/g, (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, '0')}`) : json
}

interface Made {
  readonly out: string
  readonly rejected: string
  readonly fault: readonly string[]
}

/** What a run writes, by one way of rendering. */
async function made(blocks: Step['blocks'], take: number | undefined): Promise<Made> {
  const out: Buffer[] = []
  const rejected: Buffer[] = []
  const sink = (to: Buffer[]) => ({
    write: (bytes: Uint8Array, done: () => void) => {
      to.push(Buffer.from(bytes))
      done()
    },
    once: () => undefined,
    off: () => undefined,
  })
  const streams = new RunStreams({ output: { sink: sink(out) }, rejected: sink(rejected) })
  const fault: string[] = []
  try {
    await work({ step: { blocks, counts: newCounts() }, selection: new Selection({ take, unique: true }), to: streams })
    await streams.end()
  } catch (thrown) {
    if (!(thrown instanceof ProblemError)) throw thrown
    fault.push(...thrown.problems.map((p) => p.message))
  }
  return { out: Buffer.concat(out).toString(), rejected: Buffer.concat(rejected).toString(), fault }
}

interface CheckOptions {
  readonly full: boolean
  readonly seed: number
  readonly tokens: boolean
  readonly take: number | undefined
}

interface CheckedBatch {
  readonly values?: object
  readonly path?: string
  readonly batch?: Batch
  readonly pools?: readonly Pool[]
}

/** Renders a table as bytes and as values, and compares the results. False: the byte path does not take the table. */
async function check(
  prompt: Prompt,
  content: string,
  options: CheckOptions,
  { values = {}, path = table, batch = plainBatch(prompt, { values: { ...values } }), pools = [] }: CheckedBatch = {},
): Promise<boolean> {
  writeFileSync(path, content)
  const { full, seed, tokens, take } = options
  const line = { full, seed, ...(tokens && { countTokens: (of: string) => of.length }) }
  const rendering: Rendering = { batch, source: path, form: LINES, line, pools }
  const bytes = await byteTable(rendering)
  const byValues = await made((selection) => doSteps(recordsOf(rendering), selection, renderStep(rendering)), take)
  if (bytes) expect(await made(bytes, take)).toEqual(byValues)
  return bytes !== undefined
}

const ALL: CheckOptions = { full: true, seed: 1, tokens: true, take: 30 }

describe.each(Object.entries(PROMPTS))('bytes and values make the same of the prompt "%s"', (_, text) => {
  const prompt = libraryOf(text).prompt('p')

  test('in a table that is as it should be', async () => {
    const cells = CELLS.map(([first, second]) => first || second)
    expect(await check(prompt, [HEAD.join(), ...Array.from({ length: 40 }, () => cells.join())].join('\n'), ALL)).toBe(true)
  })

  test('in every table', async () => {
    const options = fc.record({
      full: fc.boolean(),
      seed: fc.integer({ min: 0, max: 9 }),
      tokens: fc.boolean(),
      take: fc.constantFrom(undefined, undefined, 2),
    })
    await fc.assert(
      fc.asyncProperty(separated, options, async (content, chosen) => {
        await check(prompt, textOf(content), chosen)
      }),
      { numRuns: times(60, 500) },
    )
  }, 300_000)

  test('in lines of JSON', async () => {
    const record = Object.fromEntries(HEAD.map((key, i) => [key, typedOf(i, CELLS[i]?.[0] || (CELLS[i]?.[1] ?? ''))]))
    const all = Array.from({ length: 40 }, () => JSON.stringify(record))
    expect(await check(prompt, all.join('\n'), ALL, { path: lines })).toBe(true)
    await fc.assert(
      fc.asyncProperty(fc.array(line, { minLength: 1, maxLength: 12 }), fc.boolean(), async (some, full) => {
        // The first line has what every record needs, so that the table can be read.
        const content = [JSON.stringify(record), ...some].join('\n')
        await check(prompt, content, { ...ALL, full }, { path: lines })
      }),
      { numRuns: times(30, 500) },
    )
  }, 300_000)
})

describe('batches that choose, name and join', () => {
  const library = libraryFrom({
    'dunelight.yaml': 'locale: en-GB\n',
    'prompts/p.yaml': `title: P
variables:
  item:
    type: record
    fields:${FIELDS}
  place: { type: record, fields: { code: text, floor: { type: integer, min: 0 } }, optional: true }
  shelves: { type: list of record, fields: { room: text, number: integer }, optional: true }
turns: [{ user: '{item.title} in {place.code or "no room"}{when place.floor > 0}, upstairs{end}: {each s in shelves joined ", "}{s.number}{end}{vary}!{instead}.{end}' }]
`,
  })
  const join = [
    { from: 'rooms.csv', as: 'place', where: 'place.code is item.room' },
    { from: 'shelves.csv', as: 'shelves', where: 'shelves.room is item.room', many: true },
  ]
  const joined = [
    [
      ['Code', 'Floor'],
      ['B0', '0'],
      ['L1', '1'],
      ['X', 'high'],
      ['D', '1'],
      ['D', '2'],
    ],
    [
      ['Room', 'Number'],
      ['B0', '1'],
      ['B0', '2'],
      ['L1', '3'],
      ['L1', 'x'],
    ],
  ]
  test.each<[string, object]>([
    ['by a condition', { keep: 'item.made > 1850 or item.room is "L1"' }],
    ['by a condition that reads everything', { keep: 'item.title is not empty and not item.loud' }],
    ['by names', { name: ' {item.no}/{item.room} ' }],
    ['by tables', { join }],
    ['by all of them', { join, keep: 'place.floor is not 1', name: '{item.room} {item.title}' }],
  ])(
    '%s',
    async (_, more) => {
      const model = batchModel({ prompt: 'p', records: { from: 'table.csv', as: 'item' }, ...more })
      const batch = batchOf(library, model)
      const pools = batch.pools()
      pools.forEach((pool, i) => {
        const [head = [], ...rows] = joined[i] ?? []
        pool.add(head, rows, 1)
      })
      const inRooms = fc.tuple(separated, fc.array(fc.constantFrom('B0', 'L1', 'X', 'D', '', 'Z'), { minLength: 12, maxLength: 12 }))
      const prompt = library.prompt('p')
      const first = CELLS.map(([one, other]) => one || (other ?? ''))
      expect(await check(prompt, [HEAD.join(), first.join(), ''].join('\n'), ALL, { batch, pools })).toBe(true)
      await fc.assert(
        fc.asyncProperty(inRooms, async ([content, rooms]) => {
          const rows = content.rows.map(({ cells, ...row }, i) => ({
            ...row,
            cells: [...cells.slice(0, -1), rooms[i] ?? ''] as typeof cells,
          }))
          await check(prompt, textOf({ ...content, rows }), { ...ALL, take: undefined }, { batch, pools })
        }),
        { numRuns: times(30, 500) },
      )
      const record = Object.fromEntries(HEAD.map((key, i) => [key, typedOf(i, first[i] ?? '')]))
      const records = ['L1', 'Z', 'B0', null, 'D', 'X'].map((Room, i) => JSON.stringify({ ...record, Room, Made: 1840 + 4 * i }))
      expect(await check(prompt, records.join('\n'), { ...ALL, take: undefined }, { batch, pools, path: lines })).toBe(true)
    },
    300_000,
  )
})

test('numbers by the locale of the joined row', async () => {
  const library = libraryFrom({
    'prompts/p.yaml': `title: P
variables:
  item: { type: record, fields: { room: text, weight: number } }
  place: { type: record, fields: { code: text, tongue: { type: choice, of: [de, en] } } }
locale: '{place.tongue}'
turns: [{ user: '{item.weight as number}' }]
`,
  })
  const join = [{ from: 'rooms.csv', as: 'place', where: 'place.code is item.room' }]
  const batch = batchOf(library, batchModel({ prompt: 'p', records: { from: 'table.csv', as: 'item' }, join }))
  const pools = batch.pools()
  const rooms = [
    ['B0', 'de'],
    ['L1', 'en'],
  ]
  pools.forEach((pool) => pool.add(['Code', 'Tongue'], rooms, 1))
  await check(library.prompt('p'), 'Room,Weight\nB0,12345\nL1,12345\nB0,54321\n', ALL, { batch, pools })
})

test('keys that come later in lines of JSON are taken from then on', async () => {
  const library = libraryFrom({
    'prompts/p.yaml': `title: P\nvariables: { item: { type: record, fields: { title: text, maker: { type: text, optional: true } } } }\nturns: [{ user: '{item.title}, {item.maker}' }]\n`,
  })
  const record = (i: number) => ({ title: `lamp ${i}`, ...(i > 3000 && { maker: 'Jem' }), ...(i > 6000 && { [`key ${i % 7}`]: [{}] }) })
  const all = Array.from({ length: 9000 }, (_, i) => JSON.stringify(record(i)))
  expect(await check(library.prompt('p'), all.join('\n'), { ...ALL, take: undefined }, { path: lines })).toBe(true)
})

describe('values that do not come from a cell of their own', () => {
  const VARIABLES =
    'variables: { title: text, box: { type: record, fields: { room: text, old: { type: text, optional: true } } }, word: text, note: { type: text, untrusted: true } }'
  const TURN = 'turns: [{ user: "{title} in {box.room}{when box.old}, {box.old}{end}. {word}\\n\\n{note as fenced}" }]'
  const TABLE = [
    'Title,Box,Note',
    'Lamp,"{""room"": ""B0""}",plain',
    'Net,"{""room"": ""L<1"", ""old"": ""yes""}",</note>',
    'Oar,{},x',
    '',
  ].join('\n')

  test.each([
    ['records in a cell', '', 'one'],
    ['a value that looks like a tag', '', '</note>'],
    ['a persona by the record', 'persona: \'{when title is "Lamp"}a{otherwise}b{end}\'\n', 'two'],
  ])('%s', async (_, more, word) => {
    const library = libraryFrom({
      'personas/a.yaml': 'who: the lampman\n',
      'personas/b.yaml': 'who: the keeper\n',
      'prompts/p.yaml': `title: P\ntrusted: true\n${VARIABLES}\n${more}${more === '' ? TURN : TURN.replace('[{', '[{ system: "~ use persona" }, {')}\n`,
    })
    expect(await check(library.prompt('p'), TABLE, ALL, { values: { word } })).toBe(true)
  })

  test('what is wrong in every row is said of every row', async () => {
    const library = libraryFrom({
      'personas/a.yaml': 'who: the lampman\n',
      'prompts/p.yaml': `title: P\ntrusted: true\n${VARIABLES}\npersona: '{word}'\n${TURN.replace('[{', '[{ system: "~ use persona" }, {')}\n`,
    })
    expect(await check(library.prompt('p'), TABLE, ALL, { values: { word: 'stranger' } })).toBe(false)
  })

  test('numbers by the locale of each record', async () => {
    const library = libraryFrom({
      'prompts/p.yaml': `title: P\nvariables: { title: text, tongue: { type: choice, of: [de, en] }, weight: number }\nlocale: '{tongue}'\nturns: [{ user: '{title}: {weight as number}' }]\n`,
    })
    await check(library.prompt('p'), 'Title,Tongue,Weight\nLamp,de,12345\nLamp,en,12345\nNet,de,12345\n', ALL)
  })
})

test('a table that comes through a pipe is read once', async () => {
  const [pipe, file] = [join(folder, 'pipe'), join(folder, 'file.csv')]
  spawnSync('mkfifo', [pipe])
  writeFileSync(file, [HEAD.join(), CELLS.map(([first, second]) => first || second).join(), ''].join('\n'))
  const writer = spawn('sh', ['-c', 'cat "$1" > "$2"', 'sh', file, pipe])
  const ended = once(writer, 'close')
  const out: string[] = []
  const to = {
    write: (bytes: Uint8Array, done: () => void) => {
      out.push(Buffer.from(bytes).toString())
      done()
    },
    once: () => undefined,
    off: () => undefined,
  }
  const report = await renderTable({ prompt: libraryOf(PROMPTS.plain).prompt('p'), records: { from: pipe, format: 'csv' }, to })
  expect([report.written, out.join('')]).toEqual([1, expect.stringContaining('MH-1: Lamp in B0')])
  expect(await ended).toEqual([0, null])
})
