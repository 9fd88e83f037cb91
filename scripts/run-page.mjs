// Runs a page of the docs in a folder that only has the demo, step by step, and returns it with the output that its commands really print.
//   `path`, then a fence of any language   writes that file
//   a fence of sh, then a plain fence      runs the commands; the plain fence becomes their output
import { spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'

const DEMO = 'demo/marram-house'
const COMMAND = resolve('packages/cli/bin/dunelight.js')
const FILE = /^`([\w./-]+\.\w+)`\n\n```\w+\n([^]*?)^```$/
const RUN = /^```sh\n([^`]*?)^```\n\n```\n([^]*?)^```$/

export function runPage(page) {
  const folder = mkdtempSync(join(tmpdir(), 'page-'))
  try {
    cpSync(DEMO, join(folder, DEMO), { recursive: true, filter: (path) => !/\/(?:runs|out|answers)$/.test(path) })
    return page.replace(new RegExp(`${FILE.source}|${RUN.source}`, 'gm'), (block, path, text, commands) => {
      if (path !== undefined) {
        mkdirSync(dirname(join(folder, path)), { recursive: true })
        writeFileSync(join(folder, path), text)
        return block
      }
      return `\`\`\`sh\n${commands}\`\`\`\n\n\`\`\`\n${commands
        .trimEnd()
        .split('\n')
        .map((line) => outputOf(line, folder))
        .join('')}\`\`\``
    })
  } finally {
    rmSync(folder, { recursive: true })
  }
}

/** Standard output, then messages, as a terminal without colours shows them. */
function outputOf(line, folder) {
  const [command, ...words] = (line.match(/(?:'[^']*'|[^\s'])+/g) ?? []).map((word) => word.replaceAll("'", ''))
  if (command !== 'dunelight') throw new Error(`the page runs something else than dunelight: ${line}`)
  const { status, stdout, stderr } = spawnSync(process.execPath, [COMMAND, ...words], {
    cwd: folder,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1', COLUMNS: '110' },
  })
  // 0: done; 1: problems; 3: some records were rejected.
  if (![0, 1, 3].includes(status)) throw new Error(`${line} exits with ${status}: ${stderr}`)
  return [stdout, stderr].map((text) => text && (text.endsWith('\n') ? text : `${text}\n`)).join('')
}
