// Checks the demo library, renders all its labels, prints one as a person would read it and what was rejected, then opens the desk on it.
//   npm run demo -- [--no-serve] [--rows N] [--expect-rejected]
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { fileURLToPath } from 'node:url'

const root = join(dirname(fileURLToPath(import.meta.url)), '..')
process.chdir(root)
const args = process.argv.slice(2)
const rowsAt = args.indexOf('--rows')
const unknown = args.filter((arg, i) => !['--no-serve', '--rows', '--expect-rejected'].includes(arg) && (rowsAt < 0 || i !== rowsAt + 1))
if (unknown.length > 0) fail(`there is no option "${unknown[0]}"; options: --no-serve, --rows N`)

const LIBRARY = 'demo/marram-house'
const OBJECTS = `${LIBRARY}/data/objects.csv`
const LABELS = `${LIBRARY}/out/labels.jsonl`
const COMMAND = 'packages/cli/bin/dunelight.js'

if (!existsSync('packages/cli/dist/command.js') || !existsSync('packages/cli/dist/pages/index.html')) {
  say('Building the packages …')
  step('npm', ['run', '--silent', 'build'])
}
mkdirSync(dirname(LABELS), { recursive: true })

if (rowsAt >= 0) {
  const { generateObjects } = await import('./generate.mjs')
  const rows = Number(args[rowsAt + 1])
  if (!Number.isInteger(rows) || rows < 1) fail('--rows takes a whole number from 1')
  const file = `${LIBRARY}/out/objects-${rows}.csv`
  await generateObjects(rows, file)
  say(`${rows} generated objects: ${file}`)
}

heading('The library')
dunelight(['check', LIBRARY])
heading('All 180 labels')
const code = dunelight(['render', LIBRARY, 'label/write', '--records', OBJECTS, '--to', LABELS, '--overwrite'], [0, 3])
heading('One of them, as a person reads it: MH-0104')
const { turns } = readFileSync(LABELS, 'utf8')
  .split('\n')
  .filter(Boolean)
  .map((line) => JSON.parse(line))
  .find((line) => line.record === 'MH-0104')
for (const turn of turns) say(`── ${turn.role} ${'─'.repeat(60 - turn.role.length)}\n${turn.text}\n`)

if (args.includes('--expect-rejected')) process.exit(code === 3 ? 0 : 1)
if (args.includes('--no-serve')) process.exit(code)

heading('The desk')
say('Open this address in a browser; Ctrl+C ends it.')
const desk = spawn(process.execPath, [COMMAND, 'open', LIBRARY], { stdio: 'inherit' })
process.on('SIGINT', () => undefined)
desk.on('exit', (ended) => process.exit(ended === 0 ? code : (ended ?? 1)))

function dunelight(words, allowed = [0]) {
  say(`$ dunelight ${words.join(' ')}`)
  return step(process.execPath, [COMMAND, ...words], allowed)
}

function step(command, words, allowed = [0]) {
  const { status } = spawnSync(command, words, { stdio: 'inherit' })
  if (!allowed.includes(status)) process.exit(status ?? 1)
  return status
}

function heading(text) {
  say(`\n${text}\n${'='.repeat(text.length)}`)
}

function say(text) {
  process.stdout.write(`${text}\n`)
}

function fail(text) {
  process.stderr.write(`${relative(root, fileURLToPath(import.meta.url))}: ${text}\n`)
  process.exit(2)
}
