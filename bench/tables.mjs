// The tables that are measured with; made once, and kept in .cache.
import { createWriteStream, existsSync, mkdirSync } from 'node:fs'
import { finished } from 'node:stream/promises'
import { plainBatch } from 'dunelight/host'
import { openLibraryFor, readTable } from '@dunelight/node'
import { readRecords } from '@dunelight/node/host'
import Papa from 'papaparse'
import { generateObjects } from '../scripts/generate.mjs'

async function kept(name, make) {
  const path = `.cache/${name}`
  mkdirSync('.cache', { recursive: true })
  if (!existsSync(path)) await make(path)
  return path
}

/** A CSV table with this many objects. */
export function objectsTable(rows) {
  return kept(`objects-${rows}.csv`, (to) => generateObjects(rows, to))
}

/** The same as JSON Lines, typed as the label takes them. */
export async function linesTable(rows) {
  const from = await objectsTable(rows)
  return kept(`objects-${rows}.jsonl`, (to) => linesOfObjects(from, to))
}

/** The same as CSV with 120 columns. */
export async function wideTable(rows) {
  const from = await objectsTable(rows)
  return kept(`wide-${rows}.csv`, (to) => wideObjects(from, to))
}

/** Columns that no prompt takes. */
const MORE = Array.from({ length: 106 }, (_, i) => `Field ${i + 1}`)

async function wideObjects(from, to) {
  const out = createWriteStream(to)
  let isBegun = false
  for await (const { headings, rows: read } of readTable(from)) {
    const cells = read.map((row, i) => [...row, ...MORE.map((_, at) => `${i % 7} and ${at}`)])
    const text = Papa.unparse(isBegun ? cells : [[...headings, ...MORE], ...cells], { newline: '\n' })
    isBegun = true
    if (!out.write(`${text}\n`)) await new Promise((resolve) => out.once('drain', resolve))
  }
  out.end()
  await finished(out)
}

async function linesOfObjects(from, to) {
  const library = await openLibraryFor('demo/marram-house', 'label/write')
  const out = createWriteStream(to)
  for await (const { records } of readRecords(plainBatch(library.prompt('label/write')), from)) {
    let lines = ''
    for (const { prepared } of records) lines += `${JSON.stringify(prepared.values.item)}\n`
    if (!out.write(lines)) await new Promise((resolve) => out.once('drain', resolve))
  }
  out.end()
  await finished(out)
}
