import { basename, extname, resolve } from 'node:path'
import type { Library, Prompt } from 'dunelight'
import type { AnswerColumn } from 'dunelight/parts'
import { meansEdition, readReference } from 'dunelight/editions'
import { defined, problem } from 'dunelight/host'
import { askBatch, readyModel } from '@dunelight/node'
import {
  comparedRows,
  comparedSections,
  compareAnswers,
  openWithWording,
  reportPath,
  toHtml,
  toMarkdown,
  type AnswerComparison,
  type ComparedSide,
} from '@dunelight/node/host'
import { BATCH_FLAGS, defineCommand, DETAIL_FLAGS, fromOne, LIBRARY, list, OVERWRITE, TAKE, whole } from '../define-command.js'
import { APPROVER_FLAGS, approversOf, type ApproverFlags } from '../flags/open-library.js'
import { namedBatch, type BatchFlags } from '../flags/batch-flags.js'
import { resultFile, writeResult } from '../ui/result-file.js'
import { RunReporter } from '../ui/run-reporter.js'
import { colorsFor, EXIT, WrongUse, type Colors, type CommandContext } from '../ui/context.js'
import { readSet } from '../flags/values.js'

export const compareCommand = defineCommand({
  name: 'compare',
  group: 'Ask',
  about: 'Ask two variants about the same records and compare the answers.',
  arguments: [LIBRARY, ['<prompt>', 'the first prompt']],
  options: [
    ...BATCH_FLAGS,
    ['--other <prompt>', 'compare with this prompt, or another wording: label/write@7, @live, @git:HEAD~3'],
    ['--other-model <name>', 'compare with this model'],
    ['--other-persona <name>', 'compare with this persona'],
    ['--other-set <name=value>', 'a value of the second variant; can be repeated', list],
    ['--other-setting <name=value>', 'a setting of the second variant, such as temperature=0.2; can be repeated', list],
    ['--before <folder>', 'compare with this earlier version of the library'],
    ['--model <name>', 'the model for both'],
    ['--set <name=value>', 'a value for both; can be repeated', list],
    TAKE,
    ['--seed <n>', 'chooses between the wordings of vary, and the mock’s replies', whole],
    ['--concurrency <n>', 'requests in flight at the same time', fromOne],
    ['--to <file>', 'write a report: .html or .md'],
    ['--runs <folder>', 'the folder for run folders; default: runs/ in the library'],
    OVERWRITE,
    ...APPROVER_FLAGS,
    ...DETAIL_FLAGS,
  ],
  examples: [
    'compare demo/marram-house survey/grade --other-persona night-watch --records demo/marram-house/data/objects.csv --take 40',
    'compare demo/marram-house survey/grade@live --other survey/grade --records demo/marram-house/data/objects.csv --take 40',
  ],
  run: (context, [folder, prompt], flags: CompareFlags) => compare(context, folder, prompt, flags),
})

interface CompareFlags extends BatchFlags, ApproverFlags {
  readonly set?: string[]
  readonly otherSet?: string[]
  readonly other?: string
  readonly model?: string
  readonly otherModel?: string
  readonly otherPersona?: string
  readonly otherSetting?: string[]
  readonly before?: string
  readonly concurrency?: number
  readonly overwrite?: boolean
  readonly runs?: string
  readonly json?: boolean
}

/** Asks two models or wordings about the same records, and compares the answers. */
async function compare(context: CommandContext, folder: string, reference: string, flags: CompareFlags): Promise<number> {
  const { other: otherReference = reference, before, otherModel, otherPersona, otherSetting, otherSet, to } = flags
  if (otherReference === reference && [before, otherModel, otherPersona, otherSetting, otherSet].every((item) => item === undefined))
    throw new WrongUse(
      'both sides are the same',
      'name the difference: --other, --other-model, --other-persona, --other-set, --other-setting or --before',
    )
  if (to !== undefined && !['.html', '.md'].includes(extname(to)))
    throw new WrongUse(`a comparison is written as .html or .md, not as "${to}"`)
  // Whether the report can be written is asked before a question costs anything.
  if (to !== undefined) (await resultFile(to, flags.overwrite ?? false, [flags.records])).destroy()
  const { stderr, stdout } = context
  const c = colorsFor(stderr, context.env)
  const trust = (side: string) => (meansEdition(side) ? { approvers: approversOf(context, flags) } : {})
  const first = await openWithWording(folder, reference, {}, trust(reference))
  const wording = {
    ...(otherPersona !== undefined && { persona: otherPersona }),
    ...(otherSetting && { settings: settingsOf(otherSetting) }),
  }
  const second = await openWithWording(before ?? folder, otherReference, wording, trust(otherReference))
  const names = namesOf(reference, otherReference, flags)
  const [prompt, other] = [readReference(reference).name, readReference(otherReference).name]
  const reporter = new RunReporter(context, 'answered')
  const askedSide = await askSide(context, reporter, flags, folder, {
    name: names[0],
    library: first,
    folder,
    prompt,
    set: flags.set ?? [],
    model: flags.model,
  })
  const side = {
    name: names[1],
    library: second,
    folder: before ?? folder,
    prompt: other,
    set: [...(flags.set ?? []), ...(otherSet ?? [])],
  }
  const another = askedSide && (await askSide(context, reporter, flags, folder, { ...side, model: otherModel ?? flags.model }))
  if (!askedSide || !another) {
    stderr.write(`${c.yellow('interrupted')}: all answers received are saved and will be reused\n`)
    return EXIT.interrupted
  }
  const others = labelColumns(second.prompt(other)).map(({ name }) => name)
  const labels = labelColumns(first.prompt(prompt)).filter(({ name }) => others.includes(name))
  const comparison = await compareAnswers(askedSide, another, labels)
  const isMock = askedSide.isMock || another.isMock
  if (flags.json) stdout.write(`${JSON.stringify({ variants: names, mock: isMock, ...comparison }, null, 2)}\n`)
  else if (isMock) stdout.write('answers come from the built-in mock model\n\n')
  if (!flags.json) stdout.write(printed(comparison, colorsFor(stdout, context.env), stdout.columns ?? 100))
  if (to !== undefined) {
    await writeReport(to, [askedSide, another], comparison, flags)
    stderr.write(`→ ${to}\n`)
  }
  return EXIT.done
}

/** What one side asks. */
interface Side {
  readonly name: string
  readonly library: Library
  readonly folder: string
  readonly prompt: string
  readonly set: readonly string[]
  readonly model: string | undefined
}

type AskedSide = ComparedSide & { readonly isMock: boolean }

/** Asks one side for all records; undefined if it was interrupted. */
async function askSide(
  { stderr, env, signal }: CommandContext,
  { notice }: RunReporter,
  flags: CompareFlags,
  home: string,
  { name, library, folder, prompt, set, model: named }: Side,
): Promise<AskedSide | undefined> {
  const { seed, concurrency, runs = `${home}/runs` } = flags
  const model = readyModel(library, prompt, named, seed === undefined ? {} : { seed })
  if (model.isMock) notice(problem('mock-answers', {}))
  const { to: _, ...shared } = flags
  const { model: batch, records } = namedBatch(library, folder, prompt, shared)
  const values = await readSet(library.prompt(prompt), set, { limit: library.limits.attachmentBytes })
  stderr.write(colorsFor(stderr, env).dim(`asking ${name} …\n`))
  const result = await askBatch({
    library,
    folder,
    name: `compare-${prompt}`,
    batch,
    values,
    set,
    model,
    runs,
    ...(records && { records }),
    ...(concurrency !== undefined && { concurrency }),
    ...(signal && { signal }),
  })
  return result.state === 'interrupted' ? undefined : { name, result, price: model.price, isMock: model.isMock }
}

async function writeReport(
  to: string,
  sides: readonly [AskedSide, AskedSide],
  comparison: AnswerComparison,
  flags: CompareFlags,
): Promise<void> {
  const { folder, file } = sides[0].result
  const facts: [string, string][] = [
    ['records', reportPath(resolve(folder, file.library), file.records.from)],
    ...sides.map(({ name, result }): [string, string] => [name, basename(result.folder)]),
  ]
  if (sides.some(({ isMock }) => isMock)) facts.push(['mock', 'answers come from the built-in mock model'])
  const report = { title: `${sides[0].name} and ${sides[1].name}`, facts, sections: comparedSections(comparison) }
  await writeResult(to, extname(to) === '.html' ? await toHtml(report) : toMarkdown(report), flags.overwrite ?? false, [flags.records])
}

function labelColumns({ answerColumns }: Prompt): AnswerColumn[] {
  return answerColumns.filter(({ labels }) => labels !== undefined)
}

/** `temperature=0.2`: a setting's value as data. */
function settingsOf(stated: readonly string[]): Record<string, unknown> {
  return Object.fromEntries(
    stated.map((text) => {
      const position = text.indexOf('=')
      if (position < 1) throw new WrongUse(`--other-setting needs name=value, not "${text}"`, 'write --other-setting temperature=0.2')
      const value = text.slice(position + 1).trim()
      return [text.slice(0, position).trim(), value !== '' && Number.isFinite(Number(value)) ? Number(value) : value]
    }),
  )
}

/** What each side is called: by what it differs in. */
function namesOf(prompt: string, other: string, flags: CompareFlags): [string, string] {
  const { model, otherModel, otherPersona, otherSetting, otherSet, before } = flags
  const beside = [
    otherModel,
    otherPersona === undefined ? undefined : `as ${otherPersona}`,
    otherSetting && `with ${otherSetting.join(', ')}`,
    otherSet && `for ${otherSet.join(', ')}`,
    before === undefined ? undefined : 'as it was',
  ].filter((text) => text !== undefined)
  const first = otherModel === undefined ? prompt : `${prompt}, ${model ?? 'as set'}`
  return [first, [other, ...beside].join(', ')]
}

/** Two answers on one line. */
const BRIEF = 60

function printed(comparison: AnswerComparison, c: Colors, width: number): string {
  const rows = comparedRows(comparison)
  const [sideFigures, other] = comparison.sides
  const wide = Math.max(...rows.map(([name]) => name.length)) + 2
  const column = Math.max(18, sideFigures.name.length + 2, ...rows.map(([, value]) => value.length + 2))
  const lines = [`${''.padEnd(wide)}${c.bold(sideFigures.name.padEnd(column))}${c.bold(other.name)}`]
  for (const [name, left, right] of rows) lines.push(`${c.dim(name.padEnd(wide))}${left.padEnd(column)}${right}`)
  lines.push(
    '',
    `${comparison.both.toLocaleString('en')} answered by both, ${comparison.same.toLocaleString('en')} of them in the same words`,
  )
  for (const { column: name, labels, table, agree, of } of comparison.labels) {
    const cell = Math.max(8, ...labels.map((label) => label.length + 2))
    lines.push('', `${name}: the same for ${agree} of ${of}; rows ${sideFigures.name}, columns ${other.name}`)
    lines.push(`  ${''.padEnd(cell)}${labels.map((label) => label.padStart(cell)).join('')}`)
    labels.forEach((label, i) => {
      const counts = defined(table[i]).map((count, j) => {
        const text = (count === 0 ? '·' : String(count)).padStart(cell)
        return i === j ? c.green(text) : count > 0 ? c.yellow(text) : c.dim(text)
      })
      lines.push(`  ${label.padEnd(cell)}${counts.join('')}`)
    })
  }
  if (comparison.differing.length > 0) lines.push('', 'largest differences:')
  const room = Math.max(30, Math.min(width, 160) - 6)
  const clip = (text: string) => {
    const line = text.replace(/\s+/g, ' ')
    return line.length > room ? `${line.slice(0, room - 1)}…` : line
  }
  for (const { record, first: left, other: right } of comparison.differing.slice(0, 4)) {
    if (left.length + right.length < BRIEF) lines.push(`  ${c.bold(record)}  ${left} ${c.dim('|')} ${right}`)
    else lines.push(`  ${c.bold(record)}`, `    ${clip(left)}`, `    ${clip(right)}`)
  }
  return `${lines.join('\n')}\n`
}
