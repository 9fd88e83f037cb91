// npm run soak: the tests of kills and of load at their full counts, for ten minutes at most.
import { spawnSync } from 'node:child_process'

const { status, signal } = spawnSync('npm', ['run', '--silent', 'jest', '--', '\\.load\\.test\\.ts$'], {
  stdio: 'inherit',
  // Rounds of kills end in time for the rest.
  env: { ...process.env, DUNELIGHT_SOAK: '1', DUNELIGHT_SOAK_ENDS: String(Date.now() + 4 * 60 * 1000) },
  timeout: 10 * 60 * 1000,
})
if (signal !== null) process.stderr.write('the soak took longer than ten minutes\n')
process.exitCode = status ?? 1
