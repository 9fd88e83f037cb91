import { runBatch, type RunResult } from '@dunelight/node'
import type { RenderCounts } from '@dunelight/node/host'
import {
  BATCH,
  BATCH_FLAGS,
  BUDGET,
  defineCommand,
  DETAIL_FLAGS,
  LIBRARY,
  LOCALE,
  OVERWRITE_FOREIGN,
  RAW_CELLS,
  RUNS_FOLDER,
  SAMPLE,
  SET_FOR_ALL,
  TAKE,
  whole,
} from '../define-command.js'
import { namedBatch, type BatchFlags } from '../flags/batch-flags.js'
import { APPROVER_FLAGS, openNamed, type ApproverFlags } from '../flags/open-library.js'
import { readSet } from '../flags/values.js'
import { colorsFor, EXIT, plural, WrongUse, type CommandContext } from '../ui/context.js'
import { budgetLeft } from '../ui/budget-left.js'
import { resultJson } from '../ui/result-json.js'
import { RunReporter } from '../ui/run-reporter.js'
import { shownPath } from '../ui/shown-path.js'

export const runCommand = defineCommand({
  name: 'run',
  group: 'Render',
  about: 'Render a batch into a run folder: the output, the rejected records, and a report.',
  arguments: [LIBRARY, BATCH],
  options: [
    ...BATCH_FLAGS,
    SET_FOR_ALL,
    TAKE,
    SAMPLE,
    ['--seed <n>', 'chooses between the wordings of vary, and the sample', whole],
    ['--to <file>', 'copy the output to this file: .jsonl, .csv, .tsv, .xlsx, .parquet, out/{item.number}.md, or - for stdout'],
    ['--envelope <name>', 'the shape of a line: an envelope of the library'],
    ['--tokens', 'count the tokens of every prompt'],
    BUDGET,
    LOCALE,
    ['--workers <n>', 'threads to render with, at most 64', threads],
    ['--bare', 'write only the record and its turns, without fingerprints'],
    RUNS_FOLDER,
    RAW_CELLS,
    OVERWRITE_FOREIGN,
    ...APPROVER_FLAGS,
    ...DETAIL_FLAGS,
  ],
  examples: ['run demo/marram-house tonight', 'run demo/marram-house label/write --records objects.csv --to labels.csv --workers 2'],
  run: (context, [folder, what], flags: RunFlags) => run(context, folder, what, flags),
})

interface RunFlags extends BatchFlags, ApproverFlags {
  readonly set?: string[]
  readonly locale?: string
  readonly workers?: number
  readonly bare?: boolean
  readonly overwrite?: boolean
  readonly runs?: string
  readonly json?: boolean
}

/** More threads than that only take memory from each other. */
const MOST_THREADS = 64

function threads(text: string): number {
  const count = whole(text)
  if (count > MOST_THREADS) throw new WrongUse(`${count} threads are too many`, `at most ${MOST_THREADS}`)
  return count
}

/** Runs a batch, or a prompt with a table, into a folder of its own. */
async function run(context: CommandContext, folder: string, stated: string, flags: RunFlags): Promise<number> {
  const { library, name: what } = await openNamed(context, folder, stated, flags)
  const { name, model, records, to } = namedBatch(library, folder, what, flags)
  const { set = [], locale, workers, runs, bare = false, overwrite = false, json = false } = flags
  if (json && to === '-') throw new WrongUse('--json and --to - cannot be combined', 'both write to standard output')
  const values = await readSet(library.inputOf(model.prompt?.name ?? ''), set, { locale, limit: library.limits.attachmentBytes })
  return reportRun(context, json, (reporter) =>
    runBatch({
      library,
      folder,
      name,
      batch: model,
      values,
      set,
      ...(records && { records }),
      ...(to !== undefined && { to }),
      ...(locale !== undefined && { locale }),
      ...(workers !== undefined && { workers }),
      ...(runs !== undefined && { runs }),
      bare,
      overwrite,
      ...(to === '-' && { also: (bytes) => writeAll(context, bytes) }),
      ...reporter.listener,
    }),
  )
}

function writeAll({ stdout }: CommandContext, bytes: Uint8Array): Promise<void> {
  return new Promise((resolve, reject) => stdout.write(bytes, (fault) => (fault ? reject(fault) : resolve())))
}

/** Runs something that renders, and prints what came of it. */
export function reportRun(
  context: CommandContext,
  json: boolean,
  start: (reporter: RunReporter) => Promise<RunResult<RenderCounts>>,
): Promise<number> {
  const reporter = new RunReporter(context, 'rendered')
  return reporter.until(async () => {
    const result = await start(reporter)
    reporter.stop()
    if (json) context.stdout.write(resultJson(result))
    return printResult(context, reporter, result)
  }, 'all that was written before is whole')
}

function printResult(context: CommandContext, reporter: RunReporter, { folder, file, counts, state }: RunResult<RenderCounts>): number {
  const { stderr, env } = context
  const c = colorsFor(stderr, env)
  reporter.rejected.print(context, true)
  const tokens = counts.tokens > 0 ? `, ${plural(counts.tokens, 'token')}${budgetLeft(file, counts.tokens)}` : ''
  const rejected = counts.rejected > 0 ? `, ${plural(counts.rejected, 'record')} rejected` : ''
  const summary = `${plural(counts.written, 'record')} rendered${rejected}${tokens}`
  if (state === 'interrupted') {
    stderr.write(
      `${c.yellow('interrupted')}: ${summary}, every line complete\n  ${c.bold('resume')}: dunelight resume ${shownPath(folder)}\n`,
    )
    return EXIT.interrupted
  }
  const to = shownPath(file.published?.path ?? `${folder}/${file.output}`)
  stderr.write(`${summary} → ${to}\n${c.dim(`run ${file.run}: ${shownPath(folder)}/report.html`)}\n`)
  return counts.rejected > 0 ? EXIT.rejected : EXIT.done
}
