// npm run ratio: the processor time of a row by hand, divided by that of a row by the library; fails below 2.5. It runs alone: other programs slow
// the library more than the script, since the library works from the processor's cache.
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { runTable } from './report.mjs'
import { objectsTable } from './tables.mjs'

const LEAST = 2.5
/** Rows until a program's code is warm, and rows that are measured. */
const [BEFORE, MEASURED] = [40_000, 300_000]
const ROUNDS = 4

const folder = mkdtempSync(join(tmpdir(), 'dunelight-ratio-'))
const few = await objectsTable(BEFORE)
const many = await objectsTable(BEFORE + MEASURED)

/** Milliseconds of processor time for the rows that are measured. */
function costOf(program) {
  const [before, all] = [few, many].map((from) => runTable(program, from, join(folder, 'out')).cpu)
  return all - before
}

try {
  // The speed of a machine changes from minute to minute: the programs take turns, and their times are added up.
  const spent = { hand: 0, dunelight: 0 }
  let ratio = 0
  for (let round = 1; round <= ROUNDS && ratio < LEAST; round++) {
    for (const program of Object.keys(spent)) spent[program] += costOf(program)
    ratio = spent.hand / spent.dunelight
    const perRow = (program) => ((spent[program] * 1000) / round / MEASURED).toFixed(1)
    process.stdout.write(`a row: ${perRow('hand')} µs by hand, ${perRow('dunelight')} µs by Dunelight; ${ratio.toFixed(2)} times\n`)
  }
  if (ratio < LEAST) process.exitCode = 1
} finally {
  rmSync(folder, { recursive: true })
}
