import { printProblem, type Library } from 'dunelight'
import { problem, STAND_IN, type StandInOptions } from 'dunelight/host'
import { askBatch, askOnce, readyModel, type AskResult, type ReadyModel, type RunListener } from '@dunelight/node'
import { doubtText, estimateOf, isAskRun, nearlyTheSame, type Answered, type AskListener, type ReadListener } from '@dunelight/node/host'
import {
  BATCH_FLAGS,
  BUDGET,
  defineCommand,
  fromOne,
  LIBRARY,
  list,
  LOCALE,
  OVERWRITE_FOREIGN,
  RUNS_FOLDER,
  SAMPLE,
  TAKE,
  whole,
} from '../define-command.js'
import { namedBatch, type BatchFlags } from '../flags/batch-flags.js'
import { readMisbehaviour } from '../flags/misbehaviour.js'
import { openToRun } from '../flags/open-library.js'
import { namedValues } from '../flags/record.js'
import { readSet } from '../flags/values.js'
import { candidateText } from '../ui/candidate-text.js'
import { colorsFor, EXIT, formatCount, paintFor, plural, WrongUse, type CommandContext } from '../ui/context.js'
import { RunReporter } from '../ui/run-reporter.js'
import { shownPath } from '../ui/shown-path.js'

export const askCommand = defineCommand({
  name: 'ask',
  group: 'Ask',
  about: 'Asks a model: for one record, its reply on stdout; for a table, the answers beside the records in a run’s folder.',
  arguments: [LIBRARY, ['<what>', 'a prompt’s name, or a batch’s']],
  options: [
    ...BATCH_FLAGS,
    ['--set <name=value>', 'a value; may be repeated', list],
    ['--record <id>', 'only the record of this id, its reply on stdout'],
    ['--model <name>', 'one of models.yaml, or stand-in'],
    TAKE,
    ['--again <n>', 'how often a reply that does not fit is asked for again; else 2', whole],
    ['--at-once <n>', 'requests under way at a time; else what the model’s description says', fromOne],
    SAMPLE,
    ['--tokens', 'count the tokens of every prompt, and hold them against those that were used'],
    BUDGET,
    ['--answers <n>', 'so many answers for one record, to pick from', fromOne],
    ['--fresh', 'ask anew what was answered before; the earlier answers stay'],
    ['--to <file>', 'hand the answers on to there: .jsonl, .csv or .tsv'],
    ['--seed <n>', 'decides between the wordings of vary, and what the stand-in says', whole],
    ['--misbehave <shares>', 'how the stand-in misbehaves: busy=10%,empty=5%'],
    LOCALE,
    RUNS_FOLDER,
    OVERWRITE_FOREIGN,
  ],
  examples: [
    'ask demo/marram-house survey/grade --records demo/marram-house/data/objects.csv --take 20',
    'ask demo/marram-house label/write --records demo/marram-house/data/objects.csv --record MH-0007 --answers 5',
  ],
  run: (context, [folder, what], flags: AskFlags) => ask(context, folder, what, flags),
})

interface AskFlags extends BatchFlags {
  readonly set?: string[]
  readonly record?: string
  readonly model?: string
  readonly again?: number
  readonly atOnce?: number
  readonly fresh?: boolean
  readonly answers?: number
  readonly misbehave?: string
  readonly locale?: string
  readonly overwrite?: boolean
  readonly runs?: string
}

/** Asks a model: for one record or set of values, its reply on stdout; for a table, into a run's folder. */
async function ask(context: CommandContext, folder: string, what: string, flags: AskFlags): Promise<number> {
  const library = await openToRun(folder, what)
  const batch = library.shelf.batches.get(what)
  const prompt = batch?.prompt?.name ?? what
  const several = flags.answers !== undefined && flags.answers > 1
  if (several && flags.record === undefined)
    throw new WrongUse(
      '--answers asks several times for one record',
      `add --record ID${flags.records === undefined ? ' and --records FILE' : ''}`,
    )
  if (!batch && !several && (flags.record !== undefined || flags.records === undefined))
    return askForOne(context, library, folder, what, flags)
  if (flags.record !== undefined && batch && !several)
    throw new WrongUse(
      '--record takes one record for a prompt, not for a batch',
      `dunelight ask ${folder} ${prompt} --records FILE --record ${flags.record}`,
    )
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
  const { set = [], fresh = false, overwrite = false, record, answers, again, atOnce, locale, runs } = flags
  const model = modelFor(library, prompt, flags)
  const given = await readSet(library.prompt(prompt), set, { locale, limit: library.limits.attachmentBytes })
  return reportAsking(context, model, several, (listener) =>
    askBatch({
      library,
      folder,
      name,
      batch,
      given,
      said: set,
      model,
      fresh,
      overwrite,
      ...(records && { records }),
      ...(to !== undefined && { to }),
      ...(several && record !== undefined && answers !== undefined && { only: record, answers }),
      ...(again !== undefined && { again }),
      ...(atOnce !== undefined && { atOnce }),
      ...(locale !== undefined && { locale }),
      ...(runs !== undefined && { runs }),
      ...listener,
    }),
  )
}

function modelFor(library: Library, prompt: string, { model, misbehave, seed }: AskFlags): ReadyModel {
  const options: StandInOptions = {
    ...(seed !== undefined && { seed }),
    ...(misbehave !== undefined && { misbehave: readMisbehaviour(misbehave) }),
  }
  const ready = readyModel(library, prompt, model, options)
  if (misbehave !== undefined && !ready.madeUp) throw new WrongUse('--misbehave speaks of the stand-in', `add --model ${STAND_IN}`)
  return ready
}

async function askForOne(context: CommandContext, library: Library, folder: string, name: string, flags: AskFlags): Promise<number> {
  const { stdout, stderr } = context
  const prompt = library.prompt(name)
  const model = modelFor(library, name, flags)
  const found = await namedValues(library, prompt, flags)
  const c = colorsFor(stderr, context.env)
  const { notice } = new RunReporter(context, 'answered')
  if (model.madeUp) notice(problem('answers-made-up', {}))
  const answered = await askOnce({
    library,
    folder,
    prompt: name,
    prepared: prompt.prepare(found?.values ?? {}),
    record: found?.id ?? '',
    model,
    fresh: flags.fresh ?? false,
    ...(flags.again !== undefined && { again: flags.again }),
    ...(flags.locale !== undefined && { locale: flags.locale }),
    ...(flags.seed !== undefined && { seed: flags.seed }),
    notice,
    onAgain: (why) => stderr.write(`${c.dim(`once more: ${why}`)}\n`),
  })
  if (answered.text !== undefined) stdout.write(answered.text.endsWith('\n') ? answered.text : `${answered.text}\n`)
  sayReading(context, answered, model)
  return answered.problems.length > 0 ? EXIT.aside : EXIT.done
}

/** What is to be known of an answer beside its text. */
function sayReading({ stderr, env }: CommandContext, { problems, reply, notes, given }: Answered, model: ReadyModel): void {
  const c = colorsFor(stderr, env)
  const paint = paintFor(c)
  for (const p of problems) stderr.write(`${printProblem(p, paint)}\n`)
  for (const p of reply?.repaired ?? []) stderr.write(`${c.yellow('repaired')}: ${p.message}\n`)
  const doubts = reply?.doubts ?? []
  if (doubts.length > 0) stderr.write(`${c.yellow('to verify')}: ${doubts.map(doubtText).join(c.dim(' · '))}\n`)
  for (const { screen, says } of notes) stderr.write(`${c.yellow('noted')} by "${screen}": ${says}\n`)
  const last = given.at(-1)
  if (!last) return
  const usage = last.answer.usage ? `, ${plural(last.answer.usage.asked, 'token')} asked, ${last.answer.usage.answered} answered` : ''
  const again = given.length > 1 ? `, corrected ${plural(given.length - 1, 'time')}` : ''
  stderr.write(c.dim(`${model.name}${last.kept ? ', answered before: not asked again' : usage}${again}\n`))
}

/**
 * Runs something that asks, and prints what came of it.
 *
 * @param several Whether several answers are asked for, for a person to choose from.
 */
export function reportAsking(
  context: CommandContext,
  model: ReadyModel,
  several: boolean,
  start: (listener: RunListener & ReadListener & AskListener) => Promise<AskResult>,
): Promise<number> {
  const reporter = new RunReporter(context, 'answered')
  const texts: string[] = []
  if (model.madeUp) reporter.notice(problem('answers-made-up', {}))
  return reporter.until(async () => {
    const result = await start({
      ...reporter.listener,
      onAgain: () => {
        reporter.again++
      },
      ...(several && { onAnswer: (_, answered, draw) => printAnswer(context, answered, draw, texts) }),
    })
    reporter.stop()
    reporter.rejected.print(context, true)
    return printResult(context, result, reporter.again, several)
  }, 'every answer that came is kept')
}

/** One of several answers, with its number, as it comes. */
function printAnswer({ stdout, env }: CommandContext, answered: Answered, number: number, texts: string[]): void {
  const { text, problems, reply, given } = answered
  // One that never came has its number all the same.
  texts[number - 1] = text ?? ''
  if (text === undefined) return
  const like = nearlyTheSame(texts)[number - 1]
  const doubts = (reply?.doubts ?? []).map(doubtText)
  const madeUp = given.some(({ answer }) => answer.madeUp)
  stdout.write(
    candidateText({ number, text, like, problems, doubts, anew: undefined, madeUp }, { kept: undefined }, colorsFor(stdout, env)),
  )
}

function printResult({ stderr, env }: CommandContext, result: AskResult, again: number, several: boolean): number {
  const { folder, file, counts, state } = result
  const { written, rejected, repaired } = counts
  const c = colorsFor(stderr, env)
  const aside = rejected > 0 ? c.yellow(`${rejected} set aside`) : '0 set aside'
  const repairs = repaired > 0 ? `, ${repaired} of them repaired` : ''
  const answered = c.green(`${written} ${several ? 'could be read' : 'answered'}`)
  stderr.write(`${plural(written + rejected, several ? 'answer' : 'record')}: ${answered}${repairs}, ${aside}\n`)
  if (state === 'interrupted') {
    stderr.write(
      `${c.yellow('interrupted')}: every answer that came is kept\n  ${c.bold('carry on')}: dunelight resume ${shownPath(folder)}\n`,
    )
    return EXIT.interrupted
  }
  for (const [name, text] of resultLines(result, again, c.dim(' · '))) stderr.write(`  ${c.dim(name.padEnd(9))} ${text}\n`)
  const sent = (file.sent ?? []).map(({ path }) => path)
  stderr.write(`→ ${[file.published?.path ?? `${folder}/${file.output}`, ...sent].map(shownPath).join(', ')}\n`)
  stderr.write(c.dim(`run ${file.run}: ${shownPath(folder)}/report.html\n`))
  if (several && isAskRun(file)) stderr.write(c.dim(`pick one: dunelight pick ${shownPath(folder)} --keep ${file.asking.only ?? ''}=1\n`))
  return rejected > 0 ? EXIT.aside : EXIT.done
}

/** What is worth a line of its own, by its name. */
function resultLines({ file, counts }: AskResult, again: number, between: string): [string, string][] {
  const { asks, kept, corrected, labels, doubtful, noted, usage, estimated } = counts
  const before = kept > 0 ? `, ${kept} answered before` : ''
  const once = corrected > 0 ? `, ${corrected} once more with what was wrong` : ''
  const repeated = again > 0 ? `, ${plural(again, 'request')} repeated` : ''
  const correction = isAskRun(file) ? file.asking.correction : undefined
  const estimate = estimated > 0 ? `; estimated ${estimateOf(counts, correction)}` : ''
  return [
    ['asked', `${plural(asks, 'question')}${before}${once}${repeated}`],
    ...Object.entries(labels).map(([column, of]): [string, string] => [
      column,
      Object.entries(of)
        .map(([label, n]) => `${n} ${label}`)
        .join(between),
    ]),
    ...(doubtful > 0 ? [['to verify', `something in ${doubtful} of them`] as [string, string]] : []),
    ...(noted > 0 ? [['noted', `${plural(noted, 'finding')} of screens, in notes.jsonl`] as [string, string]] : []),
    ...(usage.asked + usage.answered > 0
      ? [['tokens', `${plural(usage.asked, 'token')} asked, ${formatCount(usage.answered)} answered${estimate}`] as [string, string]]
      : []),
  ]
}
