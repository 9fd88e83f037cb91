// npm run ratio: how often a row costs the script by hand what it costs the library, in processor time; fails below 2.5. It runs alone: what else
// runs on the machine takes more from a program that lives in its caches.
import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { generateObjects } from '../scripts/generate.mjs'

const LEAST = 2.5
/** Rows until a program's code is warm, and rows that are measured. */
const [BEFORE, MEASURED] = [40_000, 100_000]
const ROUNDS = 5

const folder = mkdtempSync(join(tmpdir(), 'dunelight-ratio-'))
const tables = [BEFORE, BEFORE + MEASURED].map((rows) => ({ rows, path: join(folder, `${rows}.csv`) }))
const PROGRAMS = ['hand', 'dunelight']

/** The processor time of a program for a table, in milliseconds: its start and its threads too. */
function cpu(program, from) {
  const { status, stderr } = spawnSync(process.execPath, [`bench/table-by-${program}.mjs`, from, join(folder, 'out')], { encoding: 'utf8' })
  if (status !== 0) throw new Error(stderr)
  return JSON.parse(stderr.trim().split('\n').at(-1)).cpu
}

try {
  for (const { rows, path } of tables) await generateObjects(rows, path)
  // Other programs only add to what one costs: of the rounds the least counts.
  const least = Object.fromEntries(PROGRAMS.map((program) => [program, tables.map(() => Infinity)]))
  const perRow = (program) => ((least[program][1] - least[program][0]) * 1000) / MEASURED
  const ratio = () => perRow('hand') / perRow('dunelight')
  let rounds = 0
  do {
    for (const program of PROGRAMS)
      for (const [i, { path }] of tables.entries()) least[program][i] = Math.min(least[program][i], cpu(program, path))
  } while (++rounds < ROUNDS && ratio() < LEAST)
  const costs = PROGRAMS.map((program) => `${perRow(program).toFixed(1)} µs by ${program}`).join(', ')
  process.stdout.write(`a row: ${costs}; ${ratio().toFixed(2)} times, rounds: ${rounds}\n`)
  if (ratio() < LEAST) process.exitCode = 1
} finally {
  rmSync(folder, { recursive: true })
}
