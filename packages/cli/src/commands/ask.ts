import { printProblem, type Library } from 'dunelight'
import { problem, MOCK_MODEL, type MockOptions } from 'dunelight/host'
import { askBatch, askOnce, readyModel, type AskResult, type ReadyModel, type RunListener } from '@dunelight/node'
import {
  unsupportedText,
  estimateOf,
  isAskRun,
  nearlyTheSame,
  type Answered,
  type AskListener,
  type ReadListener,
} from '@dunelight/node/host'
import {
  BATCH_FLAGS,
  BUDGET,
  defineCommand,
  DETAIL_FLAGS,
  fromOne,
  LIBRARY,
  list,
  LOCALE,
  OVERWRITE_FOREIGN,
  FLATTEN,
  RAW_CELLS,
  RUNS_FOLDER,
  SAMPLE,
  TAKE,
  whole,
} from '../define-command.js'
import { askForDocument } from './ask-assembly.js'
import { collectItems } from './collect.js'
import { namedBatch, type BatchFlags } from '../flags/batch-flags.js'
import { readMockFaults } from '../flags/mock-faults.js'
import { APPROVER_FLAGS, openNamed, promptOf, type ApproverFlags } from '../flags/open-library.js'
import { namedValues } from '../flags/record.js'
import { readSet } from '../flags/values.js'
import { candidateText } from '../ui/candidate-text.js'
import { colorsFor, EXIT, formatCount, paintFor, plural, WrongUse, type CommandContext } from '../ui/context.js'
import { budgetLeft } from '../ui/budget-left.js'
import { answerJson, resultJson } from '../ui/result-json.js'
import { RunReporter } from '../ui/run-reporter.js'
import { shownPath } from '../ui/shown-path.js'

export const askCommand = defineCommand({
  name: 'ask',
  group: 'Ask',
  about: 'Ask a model about one record (reply on stdout) or about every record of a table (answers in a run folder).',
  arguments: [LIBRARY, ['<name>', 'a prompt, an assembly or a batch']],
  options: [
    ...BATCH_FLAGS,
    ['--set <name=value>', 'a value; can be repeated', list],
    ['--record <id>', 'ask for this record only, reply on stdout'],
    ['--model <name>', 'a model in models.yaml, or mock'],
    TAKE,
    ['--corrections <n>', 'correction requests per reply that cannot be read; default: 2', whole],
    ['--concurrency <n>', 'requests in flight at the same time; default: from models.yaml', fromOne],
    SAMPLE,
    ['--tokens', 'count the tokens of every prompt and compare the estimate with the usage'],
    BUDGET,
    ['--candidates <n>', 'several answers per record, to review', fromOne],
    ['--collect <n>', 'ask again until there are n distinct items, and print them as one table', fromOne],
    ['--distinct <column>', 'with --collect: the column by which items are compared; default: all of their text'],
    ['--over <variables>', 'with --collect: spread the requests over the values of these choices', list],
    ['--fresh', 'ignore cached answers; they are kept'],
    ['--to <file>', 'copy the answers to this file: .jsonl, .csv or .tsv; with slots to a document for each: out/{id}.docx'],
    ['--seed <n>', 'chooses between the wordings of vary, and the mock’s replies', whole],
    ['--faults <shares>', 'faults of the mock: busy=10%,empty=5%'],
    LOCALE,
    RUNS_FOLDER,
    RAW_CELLS,
    FLATTEN,
    ['--keep-turns', 'keep the turns that are sent in the run’s folder: turns.jsonl.gz'],
    OVERWRITE_FOREIGN,
    ...APPROVER_FLAGS,
    ...DETAIL_FLAGS,
  ],
  examples: [
    'ask demo/marram-house survey/grade --records demo/marram-house/data/objects.csv --take 20',
    'ask demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007 --candidates 5',
    'ask demo/marram-house room-guides --record D0',
    'ask demo/marram-house visitor/invent --collect 40 --distinct question --over tone --to slips.csv',
  ],
  run: (context, [folder, what], flags: AskFlags) => ask(context, folder, what, flags),
})

export interface AskFlags extends BatchFlags, ApproverFlags {
  readonly set?: string[]
  readonly record?: string
  readonly model?: string
  readonly corrections?: number
  readonly concurrency?: number
  readonly fresh?: boolean
  readonly candidates?: number
  readonly collect?: number
  readonly distinct?: string
  readonly over?: string[]
  readonly faults?: string
  readonly locale?: string
  readonly overwrite?: boolean
  readonly runs?: string
  readonly json?: boolean
}

/** Asks a model: for one record or set of values, its reply on stdout; for a table, into a run's folder. */
async function ask(context: CommandContext, folder: string, stated: string, flags: AskFlags): Promise<number> {
  const { library, name: what } = await openNamed(context, folder, stated, flags)
  const isBatch = library.artefacts.batches.has(what)
  const prompt = promptOf(library, what)
  if (flags.collect !== undefined)
    return collectItems(context, library, folder, prompt, modelFor(library, prompt, flags), flags.collect, flags)
  for (const flag of ['distinct', 'over'] as const)
    if (flags[flag] !== undefined) throw new WrongUse(`--${flag} needs --collect`, 'add --collect N')
  const isAssembly = library.artefacts.assemblies.has(prompt)
  if (isAssembly && flags.candidates !== undefined)
    throw new WrongUse('--candidates is for prompts', `the parts of an assembly have candidates of their own, in assemblies/${prompt}.yaml`)
  const several = flags.candidates !== undefined && flags.candidates > 1
  if (several && flags.record === undefined)
    throw new WrongUse('--candidates needs --record', `add --record ID${flags.records === undefined ? ' and --records FILE' : ''}`)
  const hasTable = isBatch || flags.records !== undefined
  // What a person has to choose needs a run, to be chosen in.
  const needsRun = isAssembly && hasTable && library.assembly(prompt).needsPerson
  if (!several && !needsRun && (flags.record !== undefined || !hasTable)) {
    if (isAssembly) return askForDocument(context, library, folder, what, prompt, modelFor(library, prompt, flags), flags)
    return askForOne(context, library, folder, what, flags)
  }
  return askForTable(context, library, folder, what, prompt, flags, several)
}

async function askForTable(
  context: CommandContext,
  library: Library,
  folder: string,
  what: string,
  prompt: string,
  flags: AskFlags,
  several: boolean,
): Promise<number> {
  const { name, model: batch, records, to } = namedBatch(library, folder, what, flags)
  const { json = false, set = [], fresh = false, overwrite = false, record, candidates, corrections, concurrency, locale, runs } = flags
  const model = modelFor(library, prompt, flags)
  const values = await readSet(library.inputOf(prompt), set, { locale, limit: library.limits.attachmentBytes })
  return reportAsking(context, model, { several, json }, (listener) =>
    askBatch({
      library,
      folder,
      name,
      batch,
      values,
      set,
      model,
      fresh,
      overwrite,
      ...(records && { records }),
      ...(to !== undefined && { to }),
      ...(record !== undefined && { only: record }),
      ...(several && candidates !== undefined && { candidates }),
      ...(corrections !== undefined && { corrections }),
      ...(concurrency !== undefined && { concurrency }),
      ...(locale !== undefined && { locale }),
      ...(runs !== undefined && { runs }),
      ...listener,
    }),
  )
}

function modelFor(library: Library, prompt: string, { model, faults, seed }: AskFlags): ReadyModel {
  const options: MockOptions = {
    ...(seed !== undefined && { seed }),
    ...(faults !== undefined && { faults: readMockFaults(faults) }),
  }
  const ready = readyModel(library, prompt, model, options)
  if (faults !== undefined && !ready.isMock) throw new WrongUse('--faults needs the mock model', `add --model ${MOCK_MODEL}`)
  return ready
}

async function askForOne(context: CommandContext, library: Library, folder: string, what: string, flags: AskFlags): Promise<number> {
  const { stdout, stderr } = context
  const name = promptOf(library, what)
  const prompt = library.prompt(name)
  const model = modelFor(library, name, flags)
  const given = await namedValues(library, folder, what, flags)
  const c = colorsFor(stderr, context.env)
  const { notice } = new RunReporter(context, 'answered')
  if (model.isMock) notice(problem('mock-answers', {}))
  const answered = await askOnce({
    library,
    folder,
    prompt: name,
    prepared: prompt.prepare(given?.values ?? {}),
    record: given?.id ?? '',
    model,
    fresh: flags.fresh ?? false,
    ...(flags.corrections !== undefined && { corrections: flags.corrections }),
    ...(flags.locale !== undefined && { locale: flags.locale }),
    ...(flags.seed !== undefined && { seed: flags.seed }),
    notice,
    onRetry: (why) => stderr.write(`${c.dim(`retry: ${why}`)}\n`),
  })
  if (flags.json) stdout.write(answerJson(given?.id ?? '', answered))
  else if (answered.text !== undefined) stdout.write(answered.text.endsWith('\n') ? answered.text : `${answered.text}\n`)
  printReading(context, answered, model)
  return answered.problems.length > 0 ? EXIT.rejected : EXIT.done
}

/** The details of an answer, without its text. */
function printReading({ stderr, env }: CommandContext, { problems, reply, notes, answers }: Answered, model: ReadyModel): void {
  const c = colorsFor(stderr, env)
  const paint = paintFor(c)
  for (const p of problems) stderr.write(`${printProblem(p, paint)}\n`)
  for (const p of reply?.repairs ?? []) stderr.write(`${c.yellow('repaired')}: ${p.message}\n`)
  const unsupported = reply?.unsupported ?? []
  if (unsupported.length > 0) stderr.write(`${c.yellow('unsupported')}: ${unsupported.map(unsupportedText).join(c.dim(' · '))}\n`)
  for (const p of reply?.similar ?? []) stderr.write(`${c.yellow('similar')}: ${p.message}\n`)
  for (const { screen, message } of notes) stderr.write(`${c.yellow('noted')} by "${screen}": ${message}\n`)
  const last = answers.at(-1)
  if (!last) return
  const usage = last.answer.usage ? `, ${plural(last.answer.usage.sent, 'token')} sent, ${last.answer.usage.received} received` : ''
  const corrected = answers.length > 1 ? `, ${plural(answers.length - 1, 'correction request')}` : ''
  stderr.write(c.dim(`${model.name}${last.cached ? ', cached' : usage}${corrected}\n`))
}

/**
 * Runs something that asks, and prints what came of it.
 *
 * @param how `several`: whether several answers are asked for, for a person to choose from; `json`: whether the result is printed as JSON.
 */
export function reportAsking(
  context: CommandContext,
  model: ReadyModel,
  { several, json }: { readonly several: boolean; readonly json: boolean },
  start: (listener: RunListener & ReadListener & AskListener) => Promise<AskResult>,
): Promise<number> {
  const reporter = new RunReporter(context, 'answered')
  const texts: string[] = []
  if (model.isMock) reporter.notice(problem('mock-answers', {}))
  return reporter.until(async () => {
    const result = await start({
      ...reporter.listener,
      onRetry: (why) => {
        reporter.retries++
        if (context.isVerbose) context.stderr.write(`retry: ${why}\n`)
      },
      ...(several && !json && { onAnswer: (_, answered, draw) => printAnswer(context, answered, draw, texts) }),
    })
    reporter.stop()
    reporter.rejected.print(context, true)
    if (json) context.stdout.write(resultJson(result))
    return printResult(context, result, reporter.retries, several)
  }, 'all answers received are saved')
}

/** One of several answers, with its number, as it comes. */
function printAnswer({ stdout, env }: CommandContext, answered: Answered, number: number, texts: string[]): void {
  const { text, problems, reply, answers } = answered
  // One that never came has its number all the same.
  texts[number - 1] = text ?? ''
  if (text === undefined) return
  const similar = nearlyTheSame(texts)[number - 1]
  const unsupported = (reply?.unsupported ?? []).map(unsupportedText)
  const similarItems = (reply?.similar ?? []).map((p) => p.message)
  const isMock = answers.some(({ answer }) => answer.isMock)
  stdout.write(
    candidateText(
      { number, text, similar, problems, unsupported, similarItems, isRegenerated: undefined, isEdited: false, isMock },
      { accepted: undefined },
      colorsFor(stdout, env),
    ),
  )
}

function printResult({ stderr, env }: CommandContext, result: AskResult, retries: number, several: boolean): number {
  const { folder, file, counts, state } = result
  const { written, rejected, repaired } = counts
  const c = colorsFor(stderr, env)
  const refused = rejected > 0 ? c.yellow(`${rejected} rejected`) : '0 rejected'
  const repairs = repaired > 0 ? `, ${repaired} of them repaired` : ''
  const answered = c.green(`${written} ${several ? 'valid' : 'answered'}`)
  stderr.write(`${plural(written + rejected + counts.waiting, several ? 'answer' : 'record')}: ${answered}${repairs}, ${refused}\n`)
  if (state === 'interrupted') {
    stderr.write(
      `${c.yellow('interrupted')}: all answers received are saved\n  ${c.bold('resume')}: dunelight resume ${shownPath(folder)}\n`,
    )
    return EXIT.interrupted
  }
  if (state === 'waiting') {
    const place = shownPath(folder)
    stderr.write(`${c.yellow('waiting')}: ${plural(counts.waiting, 'record')} for a person’s choice\n`)
    stderr.write(`  ${c.bold('choose')}: dunelight review ${place}\n  ${c.bold('then')}: dunelight resume ${place}\n`)
  }
  for (const [name, text] of resultLines(result, retries, c.dim(' · '))) stderr.write(`  ${c.dim(name.padEnd(11))} ${text}\n`)
  const sent = (file.sent ?? []).map(({ path }) => path)
  if (state !== 'waiting') stderr.write(`→ ${[file.published?.path ?? `${folder}/${file.output}`, ...sent].map(shownPath).join(', ')}\n`)
  stderr.write(c.dim(`run ${file.run}: ${shownPath(folder)}/report.html\n`))
  if (several && isAskRun(file) && state !== 'waiting')
    stderr.write(c.dim(`accept one: dunelight review ${shownPath(folder)} --accept ${file.asking.only ?? ''}=1\n`))
  return rejected > 0 || state === 'waiting' ? EXIT.rejected : EXIT.done
}

/** Further lines of the summary, by name. */
function resultLines({ file, counts }: AskResult, retries: number, between: string): [string, string][] {
  const { requests, cached, corrections, labels, unsupported, noted, usage, estimated } = counts
  const before = cached > 0 ? `, ${cached} cached` : ''
  const once = corrections > 0 ? `, ${plural(corrections, 'correction request')}` : ''
  const repeated = retries > 0 ? `, ${plural(retries, 'retry', 'retries')}` : ''
  const correction = isAskRun(file) ? file.asking.correction : undefined
  const estimate = estimated > 0 ? `; estimated ${estimateOf(counts, correction)}` : ''
  const left = budgetLeft(file, usage.sent > 0 ? usage.sent : counts.estimated)
  return [
    ['requests', `${formatCount(requests)}${before}${once}${repeated}`],
    ...Object.entries(labels).map(([column, of]): [string, string] => [
      column,
      Object.entries(of)
        .map(([label, n]) => `${n} ${label}`)
        .join(between),
    ]),
    ...(unsupported > 0 ? [['unsupported', `claims in ${unsupported} of them`] as [string, string]] : []),
    ...(noted > 0 ? [['noted', `${plural(noted, 'finding')} of screens, in notes.jsonl`] as [string, string]] : []),
    ...(usage.sent + usage.received > 0
      ? [['tokens', `${plural(usage.sent, 'token')} sent, ${formatCount(usage.received)} received${estimate}${left}`] as [string, string]]
      : []),
  ]
}
