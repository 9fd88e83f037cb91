import { SingleBar } from 'cli-progress'
import { printProblem, type Problem } from 'dunelight'
import type { RunListener, RunProgress } from '@dunelight/node'
import { WriteFault, type ReadListener } from '@dunelight/node/host'
import { colorsFor, EXIT, formatCount, paintFor, type CommandContext } from './context.js'
import { printHeadings, RejectedList } from './rejected-list.js'
import { shownPath } from './shown-path.js'
import { rawStream } from './streams.js'

/** Steps of the progress bar. */
const STEPS = 1000

/** Reports a run to a person, whatever its step: notices, progress, and the rejected records. */
export class RunReporter {
  readonly rejected: RejectedList
  /** Requests that were repeated. */
  retries = 0
  private readonly noticed = new Set<string>()
  private bar: SingleBar | undefined

  /** @param done What is done with a record: `rendered`, `answered`. */
  constructor(
    private readonly context: CommandContext,
    private readonly done: string,
  ) {
    this.rejected = new RejectedList(context.isVerbose)
  }

  /** A problem that ends nothing. A table may be read more than once, and one notice is enough. */
  readonly notice = (p: Problem): void => {
    const { stderr, env } = this.context
    if (!this.noticed.has(p.message)) stderr.write(`${printProblem(p, paintFor(colorsFor(stderr, env)))}\n`)
    this.noticed.add(p.message)
  }

  get listener(): RunListener & ReadListener {
    const { signal } = this.context
    return {
      notice: this.notice,
      onHeading: (problems) => printHeadings(this.context, problems),
      onRejected: ({ record, problems }) => this.rejected.add(record, problems),
      onProgress: (progress) => this.progress(progress),
      ...(signal && { signal }),
    }
  }

  /** Runs something, and removes the bar at its end. If a file cannot be written, reports how to continue. */
  async until(run: () => Promise<number>, whole: string): Promise<number> {
    const { stderr, env } = this.context
    try {
      return await run()
    } catch (fault) {
      this.stop()
      if (!(fault instanceof WriteFault)) throw fault
      const c = colorsFor(stderr, env)
      const help = fault.run === undefined ? 'make room, and run again' : `make room, then: dunelight resume ${shownPath(fault.run)}`
      stderr.write(`${c.red('error')}: ${fault.message}; ${whole}\n  ${c.bold('help')}: ${help}\n`)
      return EXIT.problems
    } finally {
      this.stop()
    }
  }

  stop(): void {
    this.bar?.stop()
  }

  /** On a terminal only. */
  private progress({ share, counts, seconds }: RunProgress): void {
    const { stderr } = this.context
    if (!stderr.isTTY || share === undefined) return
    const { written, rejected } = counts
    const text = this.retries > 0 ? ` · ${formatCount(this.retries)} repeated` : ''
    const left = share > 0 ? clock((seconds / share) * (1 - share)) : '?'
    const message = `${formatCount(written)} ${this.done} · ${formatCount(rejected)} rejected${text} · ${formatCount((written + rejected) / Math.max(seconds, 0.001))} per second · ${left} left`
    this.bar ??= progressBar(stderr)
    this.bar.update(Math.round(share * STEPS), { text: message })
  }
}

/** A bar that leaves nothing behind. */
function progressBar(stream: CommandContext['stderr']): SingleBar {
  const bar = new SingleBar({
    format: '{bar} {percentage}% · {text}',
    stream: rawStream(stream),
    hideCursor: true,
    clearOnComplete: true,
    barCompleteChar: '━',
    barIncompleteChar: '─',
    barsize: 24,
  })
  bar.start(STEPS, 0, { text: '' })
  return bar
}

/** Seconds as `4 s`, `3 min`, `2 h`. */
function clock(seconds: number): string {
  if (seconds < 90) return `${Math.ceil(seconds)} s`
  return seconds < 5400 ? `${Math.ceil(seconds / 60)} min` : `${Math.ceil(seconds / 3600)} h`
}
