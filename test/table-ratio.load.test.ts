import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, test } from '@jest/globals'
import { generateObjects } from '../scripts/generate.mjs'

const folder = mkdtempSync(join(tmpdir(), 'dunelight-ratio-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

/** Rows before the library's code is warm, and rows that are measured. */
const [BEFORE, MEASURED] = [40_000, 100_000]
const LEAST = 2.5
const MOST_ROUNDS = 3

/** The processor time of a program for a table, in milliseconds, its threads and its start too. */
function cpu(program: string, rows: number): number {
  const { status, stderr } = spawnSync(process.execPath, [`bench/table-by-${program}.mjs`, table(rows), join(folder, 'out')], {
    encoding: 'utf8',
  })
  if (status !== 0) throw new Error(stderr)
  return (JSON.parse(stderr.trim().split('\n').at(-1)!) as { cpu: number }).cpu
}

const table = (rows: number) => join(folder, `${rows}.csv`)

// Processor time compares on a busy machine too; what else runs disturbs single rounds, which take turns and are added up.
test(`a row costs the script by hand ${LEAST} times as much as the library`, async () => {
  for (const rows of [BEFORE, BEFORE + MEASURED]) await generateObjects(rows, table(rows))
  const spent = { hand: 0, dunelight: 0 }
  const ratio = () => spent.hand / spent.dunelight
  let rounds = 0
  do {
    for (const program of ['hand', 'dunelight'] as const) spent[program] += cpu(program, BEFORE + MEASURED) - cpu(program, BEFORE)
  } while (++rounds < MOST_ROUNDS && ratio() < LEAST)
  expect(ratio()).toBeGreaterThanOrEqual(LEAST)
}, 300_000)
