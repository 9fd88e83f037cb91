// Runs the property tests of test/fuzz.load.test.ts at full size: `npm run fuzz -- --minutes 10`.
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'

const { values } = parseArgs({ options: { minutes: { type: 'string', default: '10' } } })
if (!(Number(values.minutes) > 0)) {
  process.stderr.write('--minutes needs a number above 0\n')
  process.exit(2)
}
const folder = mkdtempSync(join(tmpdir(), 'dunelight-fuzz-'))
const counts = join(folder, 'counts')
const jest = [
  '--experimental-vm-modules',
  '--disable-warning=ExperimentalWarning',
  'node_modules/jest/bin/jest.js',
  'test/fuzz.load.test.ts',
]
const { status } = spawnSync(process.execPath, jest, {
  stdio: 'inherit',
  env: { ...process.env, FUZZ_MINUTES: values.minutes, FUZZ_COUNTS: counts },
})
try {
  process.stdout.write(readFileSync(counts, 'utf8'))
} catch {
  process.stderr.write('no target came to its end\n')
}
rmSync(folder, { recursive: true })
process.exitCode = status ?? 1
