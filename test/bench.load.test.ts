import { spawnSync } from 'node:child_process'
import { expect, test } from '@jest/globals'
import { times } from './house.js'

/** Parts of the benchmark with a size that shows nothing but that they run, and one line of each. */
const PARTS: readonly (readonly [string, RegExp])[] = [
  ['--stages', /with fingerprints +[\d.]+/],
  ['--asking', /in process +[\d.]+ s/],
  ['--desk', /a key, 100,000 rows +\d+ ms/],
]

test.each(PARTS.slice(0, times(1, PARTS.length)))('npm run bench -- %s measures something', (part, line) => {
  const { stdout, stderr, status } = spawnSync(process.execPath, ['bench/run.mjs', part, '--rows', '300'], { encoding: 'utf8' })
  expect({ status, stderr, stdout }).toMatchObject({ status: 0, stdout: expect.stringMatching(line) })
})
