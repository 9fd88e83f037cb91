import { extname } from 'node:path'
import { readReference } from 'dunelight/editions'
import { wordingDiff, type WordingDifference } from '@dunelight/node'
import { alikeWords, Git, renderedWords, sideWords, toHtml, toMarkdown, turnPairs, wordingReport } from '@dunelight/node/host'
import { defineCommand, JSON_FLAG, LIBRARY, list, OVERWRITE, PROMPT, TABLE_FLAGS, whole } from '../define-command.js'
import { tableOf, type TableFlags } from '../flags/batch-flags.js'
import { APPROVER_FLAGS, approversOf, openToRead, type ApproverFlags } from '../flags/open-library.js'
import { readSet } from '../flags/values.js'
import { colorsFor, EXIT, WrongUse, type Colors, type CommandContext } from '../ui/context.js'
import { writeResult } from '../ui/result-file.js'
import { wordDiff } from '../ui/word-diff.js'
import { channelOf } from '../flags/channel-of.js'

export const diffCommand = defineCommand({
  name: 'diff',
  group: 'Production',
  about: 'Show what differs between two wordings of a prompt: the files, and the texts of records.',
  arguments: [
    LIBRARY,
    PROMPT,
    ['[from]', 'an edition (7), a channel (live) or a Git revision (git:HEAD~3); default: live, else git:HEAD'],
    ['[to]', 'the same; default: the working files'],
  ],
  options: [
    ...TABLE_FLAGS,
    ['--set <name=value>', 'a value for all records; can be repeated', list],
    ['--most <n>', 'how many of the records that differ most are shown; default: 5', whole],
    ['--to <file>', 'write a report: .html or .md'],
    OVERWRITE,
    ...APPROVER_FLAGS,
    JSON_FLAG,
  ],
  examples: ['diff demo/marram-house label/write git:HEAD'],
  run: (context, [folder, name, from, to], flags: DiffFlags) => diff(context, folder, name, from, to, flags),
})

interface DiffFlags extends TableFlags, ApproverFlags {
  readonly set?: string[]
  readonly most?: number
  readonly to?: string
  readonly overwrite?: boolean
  readonly json?: boolean
}

async function diff(
  context: CommandContext,
  folder: string,
  stated: string,
  from: string | undefined,
  to: string | undefined,
  flags: DiffFlags,
): Promise<number> {
  const { name, snapshot } = readReference(stated)
  if (flags.to !== undefined && !['.html', '.md'].includes(extname(flags.to)))
    throw new WrongUse(`a difference is written as .html or .md, not as "${flags.to}"`)
  // `diff label/write@live` compares with the working files.
  if (snapshot && from !== undefined)
    throw new WrongUse(`"${stated}" has a wording already`, `write ${name} ${stated.slice(name.length + 1)} ${from}`)
  const first = snapshot ? stated : `${name}@${from ?? (await usualFrom(folder, name))}`
  const second = to === undefined ? name : `${name}@${to}`
  const records = tableOf(flags)
  const library = await openToRead(folder)
  const values = flags.set && (await readSet(library.inputOf(name), flags.set, { limit: library.limits.attachmentBytes }))
  const difference = await wordingDiff(folder, first, second, {
    approvers: approversOf(context, flags),
    ...(records && { records }),
    ...(values && { values }),
    ...(flags.most !== undefined && { most: flags.most }),
  })
  const { stdout, stderr, env } = context
  if (flags.json) stdout.write(`${JSON.stringify(difference, null, 2)}\n`)
  else if (flags.to === undefined) {
    const c = colorsFor(stdout, env)
    stdout.write(printDifference(difference, c, c.red('') !== ''))
  }
  if (flags.to !== undefined) {
    const report = wordingReport(difference)
    await writeResult(flags.to, extname(flags.to) === '.html' ? await toHtml(report) : toMarkdown(report), flags.overwrite ?? false, [
      flags.records,
    ])
    stderr.write(`→ ${flags.to}\n`)
  }
  return EXIT.done
}

/** What the working files are compared with if nothing is named: what is live, else the last commit. */
async function usualFrom(folder: string, name: string): Promise<string> {
  if (await channelOf(folder, name, 'live')) return 'live'
  const git = await Git.open(folder)
  git.close()
  return 'git:HEAD'
}

/** A difference for a terminal. */
export function printDifference({ name, from, to, isSame, files, rendered }: WordingDifference, c: Colors, isColoured: boolean): string {
  const lines = [`${c.bold(sideWords(name, from))} → ${c.bold(sideWords(name, to))}${isSame ? ': the same wording' : ''}`]
  for (const { path, does, patch } of files) {
    lines.push('', c.bold(`${path}: ${does}`))
    for (const line of patch?.trimEnd().split('\n') ?? ['it is not a text'])
      lines.push(line.startsWith('+') ? c.green(line) : line.startsWith('-') ? c.red(line) : line.startsWith('@') ? c.dim(line) : line)
  }
  if (typeof rendered === 'string') lines.push('', `no records were rendered: ${rendered}`)
  if (rendered === undefined || typeof rendered === 'string') return `${lines.join('\n')}\n`
  lines.push('', `${renderedWords(rendered)} ${c.dim(`(${rendered.from})`)}`)
  for (const { record, alike, before, after } of rendered.most) {
    const who = `${c.bold(record)}${c.dim(alikeWords(alike))}`
    if (!before || !after) lines.push('', who, after ? 'can be rendered now' : 'can no longer be rendered')
    for (const { role, first, other } of before && after ? turnPairs(before, after) : [])
      lines.push('', `${who} ${c.dim(`· ${role}`)}`, wordDiff(first, other, c, isColoured))
  }
  return `${lines.join('\n')}\n`
}
