// npm run bench -- [--rows N] [--times N] [--functions] [--table] [--types] [--stages] [--picking] [--reading] [--asking] [--desk] [--service] [--growth]
import { spawn } from 'node:child_process'
import { createHash } from 'node:crypto'
import { closeSync, openSync, readSync, rmSync, statSync } from 'node:fs'
import { once } from 'node:events'
import { cpus } from 'node:os'
import { benchAsking } from './asking.mjs'
import { benchFunctions } from './functions.mjs'
import { benchGrowth } from './growth.mjs'
import { benchPicking } from './picking.mjs'
import { benchReading } from './reading.mjs'
import { benchStages } from './stages.mjs'
import { runTable } from './report.mjs'
import { linesTable, objectsTable, wideTable } from './tables.mjs'
import { benchTypes } from './types.mjs'
import { benchDesk } from './desk.mjs'
import { benchService } from './service.mjs'

const args = process.argv.slice(2)
const number = (name, usual) => {
  const at = args.indexOf(name)
  return at < 0 ? usual : Number(args[at + 1])
}
const rows = number('--rows', 1_000_000)
const times = number('--times', 1)
const say = (text) => process.stdout.write(`${text}\n`)
const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1]

say(`Node ${process.versions.node}, ${cpus().length} cores, ${cpus()[0].model}`)
const only = [
  '--functions',
  '--table',
  '--stages',
  '--types',
  '--picking',
  '--reading',
  '--asking',
  '--desk',
  '--service',
  '--growth',
].filter((flag) => args.includes(flag))
const does = (flag) => only.length === 0 || only.includes(flag)
if (does('--functions')) await benchFunctions(say)
if (does('--table')) await benchTable()
if (does('--stages')) await benchStages(say, Math.min(rows, 200_000))
if (does('--picking')) benchPicking(say)
if (does('--reading')) await benchReading(say)
if (does('--asking')) await benchAsking(say, Math.min(rows, 10_000))
if (does('--desk')) await benchDesk(say)
if (does('--types')) benchTypes(say)
if (does('--service')) await benchService(say, rows)
if (does('--growth') && !(await benchGrowth(say))) process.exitCode = 1

/** The script of the same work by hand, and the library on one and on two threads, taking turns. */
async function benchTable() {
  const csv = await objectsTable(rows)
  const lines = await linesTable(rows)
  // A fifth of the rows are as many bytes.
  const few = Math.ceil(rows / 5)
  const wide = await wideTable(few)
  const byHand = { 'by hand': ['hand'], hoisted: ['hand', 'hoisted'] }
  compareTables('CSV', csv, rows, { ...byHand, dunelight: ['dunelight'], 'two threads': ['dunelight', '2'] })
  await compareProcesses(csv)
  compareTables('CSV, little fixed text', csv, rows, { 'by hand': ['hand', 'values'], dunelight: ['dunelight', 'values'] })
  compareTables('CSV with 120 columns', wide, few, { ...byHand, dunelight: ['dunelight'] })
  compareTables('JSON Lines', lines, rows, { ...byHand, dunelight: ['dunelight'] })
}

function compareTables(kind, from, count, runners) {
  say(`\n${count.toLocaleString('en')} rows (${(statSync(from).size / 1e6).toFixed(0)} MB of ${kind}) to JSON Lines:`)
  const results = Object.fromEntries(Object.keys(runners).map((who) => [who, []]))
  let first
  for (let i = 0; i < times; i++) {
    for (const [who, [script, ...more]] of Object.entries(runners)) {
      const to = `.cache/${script}.jsonl`
      results[who].push(runTable(script, from, to, more))
      // All write the same, or they do not do the same work.
      const hash = hashOf(to)
      if ((first ??= hash) !== hash) throw new Error(`${who} writes something else`)
      rmSync(to, { force: true })
    }
  }
  for (const [who, list] of Object.entries(results)) {
    const ms = median(list.map(({ ms }) => ms))
    const rate = Math.round((count / ms) * 1000).toLocaleString('en')
    // On a busy machine only processor time compares; threads are worth their wall time.
    const ratio = (part) => median(list.map((run, i) => results['by hand'][i][part] / run[part])).toFixed(2)
    const peak = (Math.max(...list.map(({ peak }) => peak)) / 1024).toFixed(0)
    say(`  ${who.padEnd(14)} ${rate.padStart(9)} rows/s   ${ratio('ms')} times by hand (processor ${ratio('cpu')})   peak ${peak} MB`)
  }
}

/** What two programs that have nothing to do with one another reach on this machine: as much as two threads can hope for. */
async function compareProcesses(from) {
  const together = async (count) => {
    const started = performance.now()
    const programs = Array.from({ length: count }, (_, i) =>
      spawn(process.execPath, ['bench/table-by-dunelight.mjs', from, `.cache/process-${i}.jsonl`]),
    )
    await Promise.all(programs.map((program) => once(program, 'exit')))
    for (let i = 0; i < count; i++) rmSync(`.cache/process-${i}.jsonl`, { force: true })
    return performance.now() - started
  }
  const one = await together(1)
  const two = await together(2)
  say(`  two programs at once render ${((2 * one) / two).toFixed(2)} times the rows of one`)
}

/** A file's hash, read a part at a time: what this process holds would be counted to those that it starts. */
function hashOf(path) {
  const hash = createHash('sha256')
  const file = openSync(path, 'r')
  const buffer = Buffer.alloc(1 << 20)
  for (let read = readSync(file, buffer); read > 0; read = readSync(file, buffer)) hash.update(buffer.subarray(0, read))
  closeSync(file)
  return hash.digest('hex')
}
