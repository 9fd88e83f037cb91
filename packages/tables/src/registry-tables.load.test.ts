import { readdirSync, readFileSync, statSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { readTextTable, type TextFormat } from '@dunelight/tables'
import Papa from 'papaparse'
import { times } from '../../../test/house.js'

// Tables that others made, against their own JSON or another reader.

async function read(path: string, format: TextFormat): Promise<{ headings: readonly string[]; rows: unknown[][] }> {
  const bytes = readFileSync(path)
  const source = (async function* () {
    for (let position = 0; position < bytes.length; position += 60_000) yield bytes.subarray(position, position + 60_000)
    await Promise.resolve()
  })()
  let headings: readonly string[] = []
  const rows: unknown[][] = []
  for await (const chunk of readTextTable(source, format, { name: path })) {
    headings = chunk.headings
    rows.push(...(chunk.rows as unknown[][]))
  }
  return { headings, rows }
}

describe('csv-spectrum', () => {
  const base = 'node_modules/csv-spectrum'
  // The JSON of location_coordinates is of another record than its table.
  test.each(readdirSync(`${base}/csvs`).filter((name) => name !== 'location_coordinates.csv'))(
    '%s is read as its JSON says, line breaks in cells included',
    async (name) => {
      const { headings, rows } = await read(`${base}/csvs/${name}`, 'csv')
      const records = rows.map((cells) => Object.fromEntries(headings.map((heading, i) => [heading, cells[i]])))
      expect(records).toEqual(JSON.parse(readFileSync(`${base}/json/${name.replace('.csv', '.json')}`, 'utf8')))
    },
  )
})

describe('vega-datasets', () => {
  const base = 'node_modules/vega-datasets/data'
  // Large ones are read in the soak.
  const limit = times(500_000, Infinity)
  const files = readdirSync(base).filter((name) => statSync(`${base}/${name}`).size < limit)

  test.each(files.filter((name) => /\.[ct]sv$/.test(name)))('%s is read cell by cell as another reader reads it', async (name) => {
    const text = readFileSync(`${base}/${name}`, 'utf8').replace(/^\uFEFF/, '')
    const [first, ...rows] = Papa.parse<string[]>(text, { skipEmptyLines: 'greedy' }).data
    const table = await read(`${base}/${name}`, name.endsWith('.tsv') ? 'tsv' : 'csv')
    expect([table.headings, table.rows.length]).toEqual([first!.map((text) => text.trim()), rows.length])
    expect(table.rows).toEqual(rows)
  })

  test.each(files.filter((name) => name.endsWith('.json')))('%s is read as its records are', async (name) => {
    const data = JSON.parse(readFileSync(`${base}/${name}`, 'utf8')) as unknown
    if (!Array.isArray(data)) {
      await expect(read(`${base}/${name}`, 'json')).rejects.toThrow('it has no list of records')
      return
    }
    if (!data.every((value) => typeof value === 'object' && value !== null && !Array.isArray(value))) return
    const { headings, rows } = await read(`${base}/${name}`, 'json')
    expect(rows).toHaveLength(data.length)
    const records = rows.map((cells) =>
      Object.fromEntries(headings.flatMap((heading, i) => (cells[i] === undefined || cells[i] === null ? [] : [[heading, cells[i]]]))),
    )
    const plain = (data as object[]).map((item) => Object.fromEntries(Object.entries(item).filter(([, value]) => value !== null)))
    expect(records).toEqual(plain)
  })
})
