// npm run checks: all that is checked without running a test, two at a time. What fails is printed whole.
import { spawn } from 'node:child_process'

const waiting = [
  'node_modules/.bin/eslint .',
  'node_modules/.bin/tsc -p tsconfig.check.json --noEmit',
  'node_modules/.bin/prettier --check --log-level warn .',
  'node scripts/size.mjs',
  'node scripts/check-words.mjs',
  'node scripts/write-docs.mjs --check',
]
const AT_ONCE = 2

async function lane() {
  for (let check = waiting.shift(); check; check = waiting.shift()) {
    const [command, ...args] = check.split(' ')
    const child = spawn(command, args)
    let said = ''
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk) => (said += chunk))
    const code = await new Promise((resolve) => child.on('close', resolve))
    if (code !== 0) process.exitCode = 1
    process.stdout.write(`${code === 0 ? 'passed' : 'FAILED'}: ${check}\n${code === 0 ? '' : said}`)
  }
}

await Promise.all(Array.from({ length: AT_ONCE }, lane))
