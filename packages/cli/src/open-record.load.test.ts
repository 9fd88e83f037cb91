import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Writable } from 'node:stream'
import { afterAll, describe, expect, test } from '@jest/globals'
import { openLibrary, renderTable } from '@dunelight/node'
import Papa from 'papaparse'
import { times } from '../../../test/house.js'
import { dunelight } from '../../../test/command.js'

const folder = mkdtempSync(join(tmpdir(), 'open-record-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
mkdirSync(join(folder, 'prompts'))
writeFileSync(join(folder, 'prompts/row.yaml'), 'title: R\nvariables: { item: record }\nturns: [{ user: "{item as json}" }]\n')

type Plain = Record<string, unknown>

/** The rows of a table as a prompt gets them. */
async function recordsOf(table: string): Promise<Plain[]> {
  const library = await openLibrary(folder)
  let out = ''
  const to = new Writable({
    write(chunk: Buffer, _, done) {
      out += chunk.toString('utf8')
      done()
    },
  })
  await renderTable({ prompt: library.prompt('row'), records: table, to })
  return out
    .trim()
    .split('\n')
    .map((line) => filled(JSON.parse((JSON.parse(line) as { turns: { text: string }[] }).turns[0]!.text) as Plain))
}

/** Empty cells are missing values, and line ends are \\n. */
const filled = (record: Plain): Plain =>
  Object.fromEntries(
    Object.entries(record).flatMap(([heading, cell]) => {
      const isEmpty = heading === '' || cell === null || (typeof cell === 'string' && cell.trim() === '')
      return isEmpty ? [] : [[heading, typeof cell === 'string' ? cell.replace(/\r\n?/g, '\n') : cell]]
    }),
  )

describe('a record without declared fields has every column', () => {
  const base = 'node_modules/vega-datasets/data'
  const limit = times(20_000, 2_000_000)
  const files = readdirSync(base).filter((name) => statSync(`${base}/${name}`).size < limit)

  test.each(files.filter((name) => /\.[ct]sv$/.test(name)))('%s, as another reader reads it', async (name) => {
    const text = readFileSync(`${base}/${name}`, 'utf8').replace(/^\uFEFF/, '')
    const [first, ...rows] = Papa.parse<string[]>(text, { skipEmptyLines: 'greedy' }).data
    const headings = first!.map((heading) => heading.trim())
    const expected = rows.map((cells) => filled(Object.fromEntries(headings.map((heading, i) => [heading, cells[i]!]))))
    expect(await recordsOf(`${base}/${name}`)).toEqual(expected)
  })

  test.each(files.filter((name) => name.endsWith('.json')))('%s, as its records are', async (name) => {
    const data = JSON.parse(readFileSync(`${base}/${name}`, 'utf8')) as unknown
    if (!Array.isArray(data) || !data.every((item) => typeof item === 'object' && item !== null && !Array.isArray(item))) return
    expect(await recordsOf(`${base}/${name}`)).toEqual((data as Plain[]).map(filled))
  })

  test.each(readdirSync('node_modules/csv-spectrum/csvs').filter((name) => name !== 'location_coordinates.csv'))('%s', async (name) => {
    const expected = JSON.parse(readFileSync(`node_modules/csv-spectrum/json/${name.replace('.csv', '.json')}`, 'utf8')) as Plain[]
    expect(await recordsOf(`node_modules/csv-spectrum/csvs/${name}`)).toEqual(expected.map(filled))
  })

  test('in run too, under the names that the options give', () => {
    writeFileSync(join(folder, 'notes.csv'), 'No,Their Note,Empty\n1,rust,\n')
    const to = join(folder, 'notes.jsonl')
    const { code } = dunelight(
      'run',
      folder,
      'row',
      '--records',
      join(folder, 'notes.csv'),
      '--as',
      'item',
      '--column',
      'note=Their Note',
      '--to',
      to,
    )
    expect([code, readFileSync(to, 'utf8')]).toEqual([
      0,
      expect.stringContaining(String.raw`{\"No\":\"1\",\"note\":\"rust\",\"Empty\":null}`),
    ])
  })

  test('a heading that repeats is reported', () => {
    writeFileSync(join(folder, 'twice.csv'), 'a,a\n1,2\n')
    const { err, code } = dunelight('render', folder, 'row', '--records', join(folder, 'twice.csv'))
    expect([code, err]).toEqual([1, expect.stringContaining('[heading-duplicate]')])
  })
})
