import type { SingleBar } from 'cli-progress'
import { printProblem, problem, STAND_IN, type Library, type Problem, type StandInOptions } from 'dunelight'
import {
  askBatch,
  askOnce,
  doubtText,
  estimateOf,
  nearlyTheSame,
  libraryOf,
  readRun,
  readyModel,
  resumeAsking,
  WriteFault,
  type Answered,
  type AskListener,
  type AskProgress,
  type AskResult,
  type ReadyModel,
} from '@dunelight/node'
import { Asides, printHeadings } from '../aside.js'
import { candidateText } from './pick.js'
import { namedBatch, type BatchFlags } from '../batch-flags.js'
import { readMisbehaviour } from '../misbehaviour.js'
import { openToRender, openToRun } from '../open.js'
import { namedValues } from '../record.js'
import { progressBar } from '../progress-bar.js'
import { shownPath } from '../shown-path.js'
import { colorsFor, EXIT, paintFor, plural, WrongUse, type Surroundings } from '../surroundings.js'
import { readSet } from '../values.js'

export interface AskFlags extends BatchFlags {
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
export async function ask(around: Surroundings, folder: string, what: string, flags: AskFlags): Promise<number> {
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
    return askForOne(around, library, folder, what, flags)
  if (flags.record !== undefined && batch && !several)
    throw new WrongUse(
      '--record takes one record for a prompt, not for a batch',
      `dunelight ask ${folder} ${prompt} --records FILE --record ${flags.record}`,
    )
  const { name, definition, records, to } = namedBatch(library, folder, what, flags)
  const model = modelFor(library, prompt, flags)
  const given = await readSet(library.prompt(prompt), flags.set, { locale: flags.locale, limit: library.limits.attachmentBytes })
  const telling = new Telling(around, model, several)
  return telling.until(() =>
    askBatch({
      library,
      folder,
      name,
      definition,
      given,
      said: flags.set ?? [],
      model,
      fresh: flags.fresh ?? false,
      overwrite: flags.overwrite ?? false,
      ...(records && { records }),
      ...(to !== undefined && { to }),
      ...(several && { only: flags.record!, answers: flags.answers }),
      ...(flags.again !== undefined && { again: flags.again }),
      ...(flags.atOnce !== undefined && { atOnce: flags.atOnce }),
      ...(flags.locale !== undefined && { locale: flags.locale }),
      ...(flags.runs !== undefined && { runs: flags.runs }),
      ...telling.listener,
    }),
  )
}

/** Carries on a run that asks. */
export async function resumeAsk(around: Surroundings, folder: string, flags: { overwrite?: boolean }): Promise<number> {
  const before = await readRun(folder)
  const library = await openToRender(libraryOf(folder, before), before.prompt.name)
  const given = await readSet(library.prompt(before.prompt.name), before.said, {
    locale: before.locale,
    limit: library.limits.attachmentBytes,
  })
  const model = readyModel(library, before.prompt.name, before.asking!.model, before.asking!.standIn)
  const telling = new Telling(around, model, before.asking!.answers !== undefined)
  return telling.until(() => resumeAsking(folder, { library, model, given, overwrite: flags.overwrite ?? false, ...telling.listener }))
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

async function askForOne(around: Surroundings, library: Library, folder: string, name: string, flags: AskFlags): Promise<number> {
  const { stdout, stderr } = around
  const prompt = library.prompt(name)
  const model = modelFor(library, name, flags)
  const found = await namedValues(library, prompt, flags)
  const c = colorsFor(stderr, around.env)
  const notice = (p: Problem) => stderr.write(`${printProblem(p, paintFor(c))}\n`)
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
  sayReading(around, answered, model)
  return answered.problems.length > 0 ? EXIT.aside : EXIT.done
}

/** What is to be known of an answer beside its text. */
function sayReading({ stderr, env }: Surroundings, { problems, reply, notes, given }: Answered, model: ReadyModel): void {
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

/** Tells a person how the asking goes on, and how it ended. */
class Telling {
  private readonly asides = new Asides()
  private bar: SingleBar | undefined
  private again = 0
  private readonly texts: string[] = []

  constructor(
    private readonly around: Surroundings,
    private readonly model: ReadyModel,
    /** Whether several answers are asked for, from which somebody is to pick. */
    private readonly several: boolean,
  ) {}

  get listener(): AskListener {
    const { around } = this
    const paint = paintFor(colorsFor(around.stderr, around.env))
    return {
      notice: (p) => around.stderr.write(`${printProblem(p, paint)}\n`),
      onHeading: (problems) => printHeadings(around, problems),
      onAside: ({ id, problems }) => this.asides.add(id, problems),
      onAgain: () => {
        this.again++
      },
      onProgress: (progress) => this.progress(progress),
      ...(this.several && { onAnswer: (_, answered, draw) => this.printAnswer(answered, draw) }),
      ...(around.signal && { signal: around.signal }),
    }
  }

  async until(run: () => Promise<AskResult>): Promise<number> {
    const { around, model } = this
    const c = colorsFor(around.stderr, around.env)
    if (model.madeUp) around.stderr.write(`${printProblem(problem('answers-made-up', {}), paintFor(c))}\n`)
    try {
      const result = await run()
      this.bar?.stop()
      return this.ended(result)
    } catch (fault) {
      this.bar?.stop()
      if (!(fault instanceof WriteFault)) throw fault
      const carryOn = fault.run === undefined ? 'make room, and ask again' : `make room, then: dunelight resume ${shownPath(fault.run)}`
      around.stderr.write(`${c.red('error')}: ${fault.message}; every answer that came is kept\n  ${c.bold('mend')}: ${carryOn}\n`)
      return EXIT.problems
    }
  }

  /** Each of several answers, with its number, as it comes. */
  private printAnswer({ text, problems, reply, given }: Answered, number: number): void {
    const { stdout, env } = this.around
    // One that never came has its number all the same.
    this.texts[number - 1] = text ?? ''
    if (text === undefined) return
    const like = nearlyTheSame(this.texts)[number - 1]
    const doubts = (reply?.doubts ?? []).map(doubtText)
    stdout.write(
      candidateText(
        { number, text, like, problems, doubts, anew: undefined, madeUp: given.some(({ answer }) => answer.madeUp) },
        { kept: undefined },
        colorsFor(stdout, env),
      ),
    )
  }

  private ended({ folder, file, counts, state, sent }: AskResult): number {
    const { stderr } = this.around
    const c = colorsFor(stderr, this.around.env)
    this.asides.print(this.around, true)
    const { answered, repaired, doubtful, aside, asks, kept, corrected, labels } = counts
    const line = (name: string, text: string) => stderr.write(`  ${c.dim(name.padEnd(9))} ${text}\n`)
    const whole = `${plural(answered + aside, this.several ? 'answer' : 'record')}: ${c.green(`${answered} ${this.several ? 'could be read' : 'answered'}`)}${repaired > 0 ? `, ${repaired} of them repaired` : ''}, ${aside > 0 ? c.yellow(`${aside} set aside`) : '0 set aside'}`
    if (state === 'interrupted') {
      stderr.write(
        `${whole}\n${c.yellow('interrupted')}: every answer that came is kept\n  ${c.bold('carry on')}: dunelight resume ${shownPath(folder)}\n`,
      )
      return EXIT.interrupted
    }
    stderr.write(`${whole}\n`)
    line(
      'asked',
      `${plural(asks, 'question')}${kept > 0 ? `, ${kept} answered before` : ''}${corrected > 0 ? `, ${corrected} once more with what was wrong` : ''}${this.again > 0 ? `, ${plural(this.again, 'request')} repeated` : ''}`,
    )
    for (const [column, of] of Object.entries(labels))
      line(
        column,
        Object.entries(of)
          .map(([label, n]) => `${n} ${label}`)
          .join(c.dim(' · ')),
      )
    if (doubtful > 0) line('to verify', `something in ${doubtful} of them`)
    if (counts.noted > 0) line('noted', `${plural(counts.noted, 'finding')} of screens, in notes.jsonl`)
    const { usage } = counts
    if (usage.asked + usage.answered > 0)
      line(
        'tokens',
        `${plural(usage.asked, 'token')} asked, ${usage.answered.toLocaleString('en')} answered${counts.estimated > 0 ? `; estimated ${estimateOf(counts, file.asking!.correction)}` : ''}`,
      )
    stderr.write(
      `→ ${[file.published?.path ?? `${folder}/${file.output}`, ...sent].map(shownPath).join(', ')}\n${c.dim(`run ${file.run}: ${shownPath(folder)}/report.html`)}\n`,
    )
    if (this.several) stderr.write(c.dim(`pick one: dunelight pick ${shownPath(folder)} --keep ${file.asking!.only}=1\n`))
    return aside > 0 ? EXIT.aside : EXIT.done
  }

  /** On a terminal only. */
  private progress({ records, counts, seconds, share }: AskProgress): void {
    const { stderr } = this.around
    if (!stderr.isTTY) return
    this.bar ??= progressBar(stderr, '{done} done · {aside} set aside · {again} repeated · {rate} a second', 1000, {
      done: '0',
      aside: '0',
      again: '0',
      rate: '0',
    })
    this.bar.update(Math.round(share * 1000), {
      done: records.toLocaleString('en'),
      aside: counts.aside.toLocaleString('en'),
      again: this.again.toLocaleString('en'),
      rate: Math.round(records / Math.max(seconds, 0.001)).toLocaleString('en'),
    })
  }
}
