import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { libraryFrom, ProblemError, type Library } from 'dunelight'
import { plainBatch } from 'dunelight/host'
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

const folder = mkdtempSync(join(tmpdir(), 'dunelight-bytes-'))
const path = join(folder, 'table.csv')
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

const table = fc.record({
  rows: fc.array(row, { minLength: 1, maxLength: 12 }),
  end: fc.constantFrom('\n', '\r\n', '\r'),
  delimiter: fc.constantFrom(',', ';', '\t'),
  last: fc.boolean(),
})

function textOf({ rows, end, delimiter, last }: typeof table extends fc.Arbitrary<infer T> ? T : never): string {
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

describe.each(Object.entries(PROMPTS))('bytes and values make the same of the prompt "%s"', (_, text) => {
  const prompt = libraryOf(text).prompt('p')
  const check = async (
    content: string,
    options: { readonly full: boolean; readonly seed: number; readonly tokens: boolean; readonly take: number | undefined },
  ) => {
    writeFileSync(path, content)
    const { full, seed, tokens, take } = options
    const line = { full, seed, ...(tokens && { countTokens: (of: string) => of.length }) }
    const rendering: Rendering = { batch: plainBatch(prompt), source: path, form: LINES, line }
    const bytes = await byteTable(rendering)
    const values: Step['blocks'] = (selection) => doSteps(recordsOf(rendering), selection, renderStep(rendering))
    const byValues = await made(values, take)
    if (bytes) expect(await made(bytes, take)).toEqual(byValues)
    return bytes !== undefined
  }

  test('in a table that is as it should be', async () => {
    const cells = CELLS.map(([first, second]) => first || second)
    expect(
      await check([HEAD.join(), ...Array.from({ length: 40 }, () => cells.join())].join('\n'), {
        full: true,
        seed: 1,
        tokens: true,
        take: 30,
      }),
    ).toBe(true)
  })

  test('in every table', async () => {
    const options = fc.record({
      full: fc.boolean(),
      seed: fc.integer({ min: 0, max: 9 }),
      tokens: fc.boolean(),
      take: fc.constantFrom(undefined, undefined, 2),
    })
    await fc.assert(
      fc.asyncProperty(table, options, async (content, chosen) => {
        await check(textOf(content), chosen)
      }),
      { numRuns: times(60, 500) },
    )
  }, 300_000)
})
