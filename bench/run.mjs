// npm run bench -- [--rows N] [--times N] [--functions] [--table] [--types] [--picking] [--reading]
import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, rmSync, statSync } from 'node:fs'
import { cpus } from 'node:os'
import { generateObjects } from '../scripts/generate.mjs'
import { benchFunctions } from './functions.mjs'
import { benchPicking } from './picking.mjs'
import { benchReading } from './reading.mjs'
import { benchTypes } from './types.mjs'

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
const only = ['--functions', '--table', '--types', '--picking', '--reading'].filter((flag) => args.includes(flag))
const does = (flag) => only.length === 0 || only.includes(flag)
if (does('--functions')) await benchFunctions(say)
if (does('--table')) await benchTable()
if (does('--picking')) benchPicking(say)
if (does('--reading')) await benchReading(say)
if (does('--types')) benchTypes(say)

async function benchTable() {
  mkdirSync('.cache', { recursive: true })
  const from = `.cache/objects-${rows}.csv`
  if (!existsSync(from)) await generateObjects(rows, from)
  say(`\n${rows.toLocaleString('en')} rows (${(statSync(from).size / 1e6).toFixed(0)} MB of CSV) to JSON Lines:`)
  const found = { 'by hand': [], 'by dunelight': [] }
  for (let i = 0; i < times; i++) for (const who of Object.keys(found)) found[who].push(runTable(who.replace(' ', '-'), from))
  for (const [who, list] of Object.entries(found)) {
    const ms = median(list.map((one) => one.ms))
    say(
      `  ${who.padEnd(14)} ${Math.round((rows / ms) * 1000)
        .toLocaleString('en')
        .padStart(9)} rows/s   peak ${(Math.max(...list.map((one) => one.peak)) / 1024).toFixed(0)} MB`,
    )
  }
  say(`  ratio: ${median(found['by dunelight'].map((one, i) => found['by hand'][i].ms / one.ms)).toFixed(2)} times as fast as by hand`)
}

function runTable(who, from) {
  const to = `.cache/${who}.jsonl`
  const done = spawnSync(process.execPath, [`bench/table-${who}.mjs`, from, to], { encoding: 'utf8' })
  rmSync(to, { force: true })
  if (done.status !== 0) throw new Error(done.stderr)
  return JSON.parse(done.stderr.trim().split('\n').at(-1))
}
