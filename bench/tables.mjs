import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'
import { plainBatch } from 'dunelight/host'
import { openLibraryFor, readTable } from '@dunelight/node'
import { readRecords } from '@dunelight/node/host'
import Papa from 'papaparse'

/** Columns that no prompt takes. */
const MORE = Array.from({ length: 106 }, (_, i) => `Field ${i + 1}`)

/** The first objects of a CSV table with 120 columns. */
export async function wideObjects(from, to, rows) {
  const out = createWriteStream(to)
  let left = rows
  let isBegun = false
  for await (const { headings, rows: read } of readTable(from)) {
    const cells = read.slice(0, left).map((row, i) => [...row, ...MORE.map((_, at) => `${i % 7} and ${at}`)])
    left -= cells.length
    const text = Papa.unparse(isBegun ? cells : [[...headings, ...MORE], ...cells], { newline: '\n' })
    isBegun = true
    if (!out.write(`${text}\n`)) await new Promise((resolve) => out.once('drain', resolve))
    if (left === 0) break
  }
  out.end()
  await finished(out)
}

/** The objects of a CSV table as JSON Lines, typed as the label takes them. */
export async function linesOfObjects(from, to) {
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
