import { relative } from 'node:path'
import type { SingleBar } from 'cli-progress'
import { printProblem, type Library } from 'dunelight'
import {
  libraryOf,
  listRuns,
  readRun,
  resumeRun,
  runBatch,
  WriteFault,
  type RunListener,
  type RunProgress,
  type RunResult,
} from '@dunelight/node'
import { resumeAsk } from './ask.js'
import { Asides, printHeadings } from '../aside.js'
import { namedBatch, type BatchFlags } from '../batch-flags.js'
import { openToRender, openToRun } from '../open.js'
import { progressBar } from '../progress-bar.js'
import { shownPath } from '../shown-path.js'
import { colorsFor, EXIT, paintFor, plural, type Surroundings } from '../surroundings.js'
import { readSet } from '../values.js'

export interface RunFlags extends BatchFlags {
  readonly set?: string[]
  readonly locale?: string
  readonly workers?: number
  readonly bare?: boolean
  readonly overwrite?: boolean
  readonly runs?: string
}

/** Runs a batch, or a prompt with a table, into a folder of its own. */
export async function runCommand(around: Surroundings, folder: string, what: string, flags: RunFlags): Promise<number> {
  const library = await openToRun(folder, what)
  const { name, definition, model, records, to } = namedBatch(library, folder, what, flags)
  const given = await givenFor(library, model.prompt?.name ?? '', flags.set, flags.locale)
  const telling = new Telling(around)
  return telling.until(() =>
    runBatch({
      library,
      folder,
      name,
      definition,
      given,
      said: flags.set ?? [],
      ...(records && { records }),
      ...(to !== undefined && { to }),
      ...(flags.locale !== undefined && { locale: flags.locale }),
      ...(flags.workers !== undefined && { workers: flags.workers }),
      ...(flags.runs !== undefined && { runs: flags.runs }),
      bare: flags.bare ?? false,
      overwrite: flags.overwrite ?? false,
      ...(to === '-' && { also: telling.toStdout }),
      ...telling.listener,
    }),
  )
}

/** Carries on a run that was interrupted or broke off. */
export async function resume(around: Surroundings, folder: string, flags: { overwrite?: boolean }): Promise<number> {
  const file = await readRun(folder)
  if (file.asking) return resumeAsk(around, folder, flags)
  const library = await openToRender(libraryOf(folder, file), file.prompt.name)
  const given = await givenFor(library, file.prompt.name, file.said, file.locale)
  const telling = new Telling(around)
  return telling.until(() => resumeRun(folder, { library, given, overwrite: flags.overwrite ?? false, ...telling.listener }))
}

function givenFor(library: Library, prompt: string, set: readonly string[] | undefined, locale: string | undefined) {
  return readSet(library.prompt(prompt), set, { locale, limit: library.limits.attachmentBytes })
}

/** Lists the runs of a library. */
export async function runs(around: Surroundings, folder: string, flags: { json?: boolean; runs?: string }): Promise<number> {
  const found = await listRuns(flags.runs ?? `${folder}/runs`)
  if (flags.json) {
    around.stdout.write(
      `${JSON.stringify(
        found.map(({ folder: path, state, file }) => ({ ...file, folder: path, state })),
        null,
        2,
      )}\n`,
    )
    return EXIT.done
  }
  const c = colorsFor(around.stdout, around.env)
  if (found.length === 0) around.stderr.write(`no run has been made here yet: dunelight run ${folder} BATCH\n`)
  const wide = Math.max(0, ...found.map((one) => one.file.run.length))
  const paint = { done: c.green, running: c.cyan, interrupted: c.yellow, failed: c.red, 'broken off': c.yellow }
  for (const { file, state, folder: path } of found) {
    const asked = file.asking?.counts
    const counts = asked
      ? `${plural(asked.answered, 'answer')}${asked.aside > 0 ? `, ${asked.aside} set aside` : ''}`
      : file.counts
        ? `${plural(file.counts.rendered, 'record')}${file.counts.aside > 0 ? `, ${file.counts.aside} set aside` : ''}`
        : ''
    const when = file.started.replace('T', ' ').slice(0, 16)
    const next = state === 'done' || state === 'running' ? '' : c.dim(`  dunelight resume ${relative(process.cwd(), path) || path}`)
    around.stdout.write(
      `${file.run.padEnd(wide)}  ${paint[state](state.padEnd(11))}  ${c.dim(when)}  ${file.prompt.name}  ${counts}${next}`.trimEnd() + '\n',
    )
  }
  return EXIT.done
}

/** Tells a person how a run goes on, and how it ended. */
class Telling {
  private readonly asides = new Asides()
  private readonly noticed = new Set<string>()
  private bar: SingleBar | undefined

  constructor(private readonly around: Surroundings) {}

  readonly toStdout = (bytes: Uint8Array): Promise<void> =>
    new Promise((resolve, reject) => this.around.stdout.write(bytes, (fault) => (fault ? reject(fault) : resolve())))

  get listener(): RunListener {
    const { around } = this
    const paint = paintFor(colorsFor(around.stderr, around.env))
    return {
      notice: (p) => {
        // The table is read more than once, and one word of it is enough.
        if (!this.noticed.has(p.message)) around.stderr.write(`${printProblem(p, paint)}\n`)
        this.noticed.add(p.message)
      },
      onHeading: (problems) => printHeadings(around, problems),
      onAside: ({ id, problems }) => this.asides.add(id, problems),
      onProgress: (progress) => this.progress(progress),
      ...(around.signal && { signal: around.signal }),
    }
  }

  async until(run: () => Promise<RunResult>): Promise<number> {
    const { around } = this
    const c = colorsFor(around.stderr, around.env)
    try {
      const result = await run()
      this.bar?.stop()
      return this.ended(result)
    } catch (fault) {
      this.bar?.stop()
      if (!(fault instanceof WriteFault)) throw fault
      const carryOn = fault.run === undefined ? 'make room, and run again' : `make room, then: dunelight resume ${shownPath(fault.run)}`
      around.stderr.write(`${c.red('error')}: ${fault.message}; all that was written before is whole\n  ${c.bold('mend')}: ${carryOn}\n`)
      return EXIT.problems
    }
  }

  private ended({ folder, file, tally, state }: RunResult): number {
    const { stderr } = this.around
    const c = colorsFor(stderr, this.around.env)
    this.asides.print(this.around, true)
    const tokens = tally.tokens > 0 ? `, ${plural(tally.tokens, 'token')}` : ''
    const aside = tally.aside > 0 ? `, ${plural(tally.aside, 'record')} set aside` : ''
    const counts = `${plural(tally.rendered, 'record')} rendered${aside}${tokens}`
    if (state === 'interrupted') {
      stderr.write(
        `${c.yellow('interrupted')}: ${counts}, every line whole\n  ${c.bold('carry on')}: dunelight resume ${shownPath(folder)}\n`,
      )
      return EXIT.interrupted
    }
    stderr.write(
      `${counts} → ${shownPath(file.published?.path ?? `${folder}/${file.output}`)}\n${c.dim(`run ${file.run}: ${shownPath(folder)}/report.html`)}\n`,
    )
    return tally.aside > 0 ? EXIT.aside : EXIT.done
  }

  /** On a terminal only. */
  private progress({ bytesRead, bytes, tally, seconds }: RunProgress): void {
    const { stderr } = this.around
    if (!stderr.isTTY || bytes === 0) return
    this.bar ??= progressBar(
      stderr,
      '{percentage}% · {rendered} rendered · {aside} set aside · {rate} a second · {eta_formatted} left',
      bytes,
      { rendered: '0', aside: '0', rate: '0' },
    )
    const number = (value: number) => Math.round(value).toLocaleString('en')
    this.bar.update(Math.min(bytesRead, bytes), {
      rendered: number(tally.rendered),
      aside: number(tally.aside),
      rate: number(tally.rendered / Math.max(seconds, 0.001)),
    })
  }
}
