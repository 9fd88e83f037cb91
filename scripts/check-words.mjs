// Fails on words that the glossary has replaced, in the docs and in what the program prints. Part of `npm run checks`.
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

/** A replaced word, and the word to use. */
const REPLACED = [
  [/\bstand-ins?\b/i, 'mock model'],
  [/\bset aside\b/i, 'rejected'],
  [/\bmend(s|ed)?\b/i, 'fix, repair, or help'],
  [/\bmade[- ]up\b/i, 'invented, or mock'],
  [/\bcarr(y|ies|ied) on\b/i, 'resume'],
  [/\bmisbehav/i, 'fault'],
  [/\bwhere nothing is said\b/i, 'default: …'],
  [/\bspeaks? of\b/i, 'needs, or mentions'],
  [/\b(is|are) no (whole|valid|name|number|record|JSON|table)\b/i, 'is not a …'],
  [/\bfrom outside\b/i, 'untrusted'],
  // A key signs an edition; a text has characters.
  [/\b(?:an?|no|the|one|each|every|this|\d+|of|other|more|invisible) signs?\b/i, 'character'],
  [/\b(?:somebody|nobody|whoever|wherever|whichever)\b/i, 'the actor'],
  [/\b(?:is|are|be) let be\b/i, 'ignored'],
  [/\bby lot\b/i, 'at random'],
  [/\bworkbench\b/i, 'desk'],
  [/\bheld against\b/i, 'compared with'],
  [/\bmending\b/i, 'repair'],
  [/\bwhere (?:nothing|none) is\b/i, 'default: …'],
  [/\b(?:is|are) said\b/i, 'reported, or shown'],
  [/\bcomes? untrusted\b/i, 'is untrusted'],
  [/\bto verify\b/i, 'unsupported'],
  [/\bso (?:many|much)\b/i, 'this many'],
]

const docs = [
  'README.md',
  ...readdirSync('docs')
    .filter((name) => name.endsWith('.md'))
    .map((name) => join('docs', name)),
]
const sources = [
  'packages/core/src',
  'packages/tables/src',
  'packages/node/src',
  'packages/serve/src',
  'packages/client/src',
  'packages/cli/src',
].flatMap((folder) =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && entry.name.endsWith('.ts') && !entry.name.endsWith('.test.ts'))
    .map((entry) => join(entry.parentPath, entry.name)),
)

/** The texts in quotes of a line of code; comments have none. */
function printed(line) {
  if (/^\s*(\*|\/\/|\/\*)/.test(line)) return ''
  return (line.match(/'(?:[^'\\]|\\.)*'|`(?:[^`\\]|\\.)*`/g) ?? []).filter((text) => text.includes(' ')).join(' ')
}

/** A page without the demo's own texts, which keep their voice, and without output of commands, whose words are checked in the sources. */
function withoutContent(page) {
  const withoutLetters = (section) => section.replace(/[^\n]/g, '')
  return page
    .replace(/<!-- (asking|picks) [^]*?<!-- \/\1/g, withoutLetters)
    .replace(/^```(.*)\n[^]*?^```$/gm, (fence, language) => (language === '' ? withoutLetters(fence) : fence))
}

for (const path of [...docs, ...sources]) {
  for (const [i, line] of withoutContent(readFileSync(path, 'utf8')).split('\n').entries()) {
    const text = path.endsWith('.md') ? line : printed(line)
    for (const [word, better] of REPLACED) {
      const found = word.exec(text)
      if (!found) continue
      process.stderr.write(`${path}:${i + 1} replaced word "${found[0]}"; use: ${better}\n`)
      process.exitCode = 1
    }
  }
}
