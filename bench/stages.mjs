// Where the time of a table goes: each stage added to those before, in one process, processor time a row.
import { hash } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { finished } from 'node:stream/promises'
import { plainBatch } from 'dunelight/host'
import { openLibraryFor, readTable, renderTable, tokenCounter } from '@dunelight/node'
import { doSteps, LINES, readRecords, renderStep, Selection } from '@dunelight/node/host'
import { objectsTable } from './tables.mjs'

export async function benchStages(say, size) {
  const from = await objectsTable(size)
  const library = await openLibraryFor('demo/marram-house', 'label/write')
  const prompt = library.prompt('label/write')
  const batch = plainBatch(prompt)
  const count = await tokenCounter()
  const blocks = async (options) => {
    const step = renderStep({ batch, form: LINES, line: options })
    for await (const block of doSteps(readRecords(batch, from), new Selection(), step)) void block
  }
  const each = async (use) => {
    for await (const { records } of readRecords(batch, from)) for (const record of records) use(record)
  }
  const stages = {
    'read and cut into cells': async () => {
      for await (const { rows } of readTable(from)) void rows
    },
    'cells to values': () => each(() => undefined),
    'render to bytes': () => each(({ prepared, id }) => prepared.byteTurns({ record: id })),
    'lines and one buffer': () => blocks({}),
    'written to a file': async () => {
      const out = createWriteStream('.cache/stages.jsonl')
      await renderTable({ prompt, records: from, to: out })
      out.end()
      await finished(out)
    },
  }
  const beside = {
    'with fingerprints': () => blocks({ full: true, hash: (bytes) => hash('sha256', Buffer.from(bytes, 'latin1')) }),
    'with token counts': () => blocks({ countTokens: count }),
  }
  say(`\nWhere the time goes, ${size.toLocaleString('en')} rows, microseconds of processor a row:`)
  for (const run of Object.values(stages)) await cost(run, size)
  let before = 0
  let lines = 0
  for (const [name, run] of Object.entries(stages)) {
    const spent = await cost(run, size)
    say(`  ${name.padEnd(26)} ${spent.toFixed(1).padStart(6)}   + ${(spent - before).toFixed(1)}`)
    before = spent
    if (name === 'lines and one buffer') lines = spent
  }
  for (const [name, run] of Object.entries(beside)) {
    const spent = await cost(run, size)
    say(`  ${name.padEnd(26)} ${spent.toFixed(1).padStart(6)}   + ${(spent - lines).toFixed(1)} above lines`)
  }
}

/** The least of two, in microseconds a row. */
async function cost(run, size) {
  let least = Infinity
  for (let i = 0; i < 2; i++) {
    const start = process.cpuUsage()
    await run()
    const { user, system } = process.cpuUsage(start)
    least = Math.min(least, (user + system) / size)
  }
  return least
}
