// Writes the docs that are generated from the code: docs/api.md, docs/problems.md, docs/schemas, the outputs in docs/getting-started.md and the pages of single tasks,
// and parts of docs/language.md, docs/examples.md and docs/outputs.md. With --check it only reports those that are out of date.
import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { parse } from 'yaml'
import { FORMATS } from 'dunelight/parts'
import { plainBatch, registry } from 'dunelight/host'
import { FILE_KINDS } from 'dunelight/file-schemas'
import { openLibrary } from '@dunelight/node'
import { readRecords, REJECTED_SCHEMA } from '@dunelight/node/host'
import { apiDocs } from './api-docs.mjs'
import { runPage } from './run-page.mjs'

/** A bad and a fixed example of each code. */
const problemExamples = parse(readFileSync('docs/problem-examples.yaml', 'utf8'))
const exampleOf = (code) => {
  const { bad, fixed, before, after } = problemExamples[code]
  const block = (text) =>
    `\`\`\`\n${text.replace(/\p{Cf}/gu, (character) => `<U+${character.codePointAt(0).toString(16).toUpperCase()}>`)}\n\`\`\``
  return `${block(bad ?? before)}\n\nFixed:\n\n${block(fixed ?? after)}`
}

const problems = `# Problems

All problems that Dunelight reports, generated from \`packages/core/src/problems\`. A problem has a code, a severity, a message, a location and,
if possible, help. Each entry has an example that causes it, and the same example fixed.

${Object.entries(registry)
  .map(([code, entry]) => `### \`${code}\`\n\n*${entry.severity}* — ${entry.about}\n\n${exampleOf(code)}\n`)
  .join('\n')}`

const parameters = (format) =>
  format.parameters.map((p) => ` ${p.kind === 'text' ? '"…"' : 'N'}${p.many ? ' …' : ''}${p.optional ? '?' : ''}`).join('')
const formats = `| format | takes | writes |\n|---|---|---|\n${FORMATS.map((f) => `| \`${f.name}${parameters(f)}\` | ${f.takes} | ${f.about.replaceAll('|', '\\|')} |`).join('\n')}`

/** Each production once, as it stands above the function that reads it. */
export function grammarLines(folder = 'packages/core/src/text') {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return grammarLines(path)
    if (!path.endsWith('.ts') || path.endsWith('.test.ts')) return []
    return [...readFileSync(path, 'utf8').matchAll(/^ *(?:\/\*\*| \*) ((?:[a-z-]+ = | {5} +\| ).*?)(?: \*\/)?$/gm)].map((match) => match[1])
  })
}
const grammar = `\`\`\`\n${grammarLines().join('\n')}\n\`\`\``

const language = readFileSync('docs/language.md', 'utf8')
/** Puts content between a marker and the next one that ends it. */
const fill = (text, mark, content) =>
  text.replace(new RegExp(`<!-- ${mark} -->[^]*?<!-- /${mark} -->`), () => `<!-- ${mark} -->\n\n${content}\n\n<!-- /${mark} -->`)

/** What the command prints for a record of the demo. */
const picks = (id) => {
  const demo = 'demo/marram-house'
  const args = ['packages/cli/bin/dunelight.js', 'examples', demo, 'condition-notes', '--for', id, '--records', `${demo}/data/objects.csv`]
  return `\`\`\`\n${execFileSync(process.execPath, args, { encoding: 'utf8', env: { ...process.env, NO_COLOR: '1' } }).trimEnd()}\n\`\`\``
}
const examples = ['MH-0008', 'MH-0002'].reduce((text, id) => fill(text, `picks ${id}`, picks(id)), readFileSync('docs/examples.md', 'utf8'))

/** What a prompt of the demo asks for, with the values of one record. */
const asked = async (name, records) => {
  const library = await openLibrary('demo/marram-house')
  for await (const { records: rows } of readRecords(plainBatch(library.prompt(name)), `demo/marram-house/data/${records}`))
    for (const { prepared } of rows) return `\`\`\`\n${prepared.render().form.instruction}\n\`\`\``
}
let outputs = readFileSync('docs/outputs.md', 'utf8')
for (const [name, records] of [
  ['label/write', 'objects.csv'],
  ['loan/letter', 'loans.jsonl'],
])
  outputs = fill(outputs, `asking ${name}`, await asked(name, records))

const api = await apiDocs()
if (api.incomplete.length > 0) {
  process.stderr.write(`${api.incomplete.join('\n')}\n`)
  process.exitCode = 1
}

const pages = {
  'docs/api.md': api.page,
  'docs/schemas/rejected-record.schema.json': `${JSON.stringify(REJECTED_SCHEMA, null, 2)}\n`,
  ...Object.fromEntries(FILE_KINDS.map(({ name, schema }) => [`docs/schemas/${name}.schema.json`, `${JSON.stringify(schema, null, 2)}\n`])),
  ...Object.fromEntries(
    ['getting-started', 'variables', 'instructions', 'preview', 'assemblies'].map((name) => [
      `docs/${name}.md`,
      runPage(readFileSync(`docs/${name}.md`, 'utf8')),
    ]),
  ),
  'docs/outputs.md': outputs,
  'docs/examples.md': examples,
  'docs/problems.md': problems,
  'docs/language.md': `${fill(fill(language, 'formats', formats), 'grammar', grammar).trimEnd()}\n`,
}
for (const [path, text] of Object.entries(pages)) {
  if (existsSync(path) && readFileSync(path, 'utf8') === text) continue
  if (process.argv.includes('--check')) {
    process.stderr.write(`${path} is not current: npm run docs\n`)
    process.exitCode = 1
  } else {
    mkdirSync(dirname(path), { recursive: true })
    writeFileSync(path, text)
  }
}
