// Writes the pages that derive from the code: docs/problems.md. With --check it only says whether they are current.
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { registry } from 'dunelight'

const page = `# Problems

All that Dunelight can find wrong, made from the registry in \`packages/core/src/problems\`. A problem has a code, one sentence, a place where
there is one, and where possible the likeliest mend. Codes and sentences do not change once published.

${Object.entries(registry)
  .map(([code, entry]) => `### \`${code}\`\n\n*${entry.severity}* — ${entry.about}\n`)
  .join('\n')}`

const pages = { 'docs/problems.md': page }
for (const [path, text] of Object.entries(pages)) {
  const current = existsSync(path) && readFileSync(path, 'utf8') === text
  if (current) continue
  if (process.argv.includes('--check')) {
    process.stderr.write(`${path} is not current: npm run docs\n`)
    process.exitCode = 1
  } else writeFileSync(path, text)
}
