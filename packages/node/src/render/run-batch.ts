import { extname, join, resolve } from 'node:path'
import type { BatchModel, Library, Problem } from 'dunelight'
import { problem, type Batch } from 'dunelight/host'
import {
  newRun,
  outputPath,
  readyBatch,
  resumable,
  runsFolder,
  unchangedBatch,
  type ReadListener,
  type ResumeOptions,
  type RunOptions,
} from '../runs/begin.js'
import { AuditLog } from '../audit/audit-log.js'
import { wordingOf } from '../library/open-library.js'
import { checkBudget } from '../runs/budget.js'
import { carryOut, type RunResult, type Task } from '../runs/carry-out.js'
import { publishOutput, refuseForeign } from '../runs/publish.js'
import { commonFolder } from '../runs/safe-path.js'
import type { Step } from '../runs/step.js'
import type { TableFile } from '../sources/open-table.js'
import { openSource } from '../sources/records.js'
import { convert } from './convert.js'
import { lineOptions } from './line-options.js'
import { outputForm } from './output-form.js'
import { countWritten, newRenderCounts, type RenderCounts } from './render-counts.js'
import { renderReport } from './render-report.js'
import type { RenderRun } from './render-run.js'
import type { Rendering } from './render-step.js'
import { onThisThread } from './this-thread.js'
import { SamePrompts, SEEN_FILE } from './same-prompts.js'
import { Threads } from './threads.js'

/** A run that renders. */
export interface RenderOptions extends RunOptions {
  /** Lines of only the record and its turns: no fingerprints, and so no search for records that give the same prompt. */
  readonly bare?: boolean
  /** Threads that render. Default: 1. */
  readonly workers?: number
  /** Gets all that is written, too: standard output. */
  readonly also?: (bytes: Uint8Array) => Promise<void>
}

type Setting = Pick<RenderRun, 'workers' | 'bare' | 'output' | 'to'>

/**
 * Runs a batch: renders its prompt for every record into a run folder with the output, the rejected records and a report.
 *
 * @param options - The library, its folder, and the batch.
 * @returns The counts, and where the run is.
 * @throws ProblemError if the batch cannot run, or its prompts exceed the budget. Nothing is written then.
 * @example
 * const folder = 'demo/marram-house'
 * const library = await openLibrary(folder)
 * const batch = batchModel({ prompt: 'survey/grade', records: { from: '../data/objects.csv', as: 'item' } })
 * const result = await runBatch({ library, folder, name: undefined, batch, runs: scratch })
 * result.file.counts.written > 100 // => true
 */
export async function runBatch(options: RenderOptions): Promise<RunResult<RenderCounts>> {
  const { library, folder, batch: model, overwrite = false, workers = 1, bare = false } = options
  AuditLog.of(folder, library)?.check()
  const batch = await readyBatch(library, model, folder, options)
  const text = outputPath(options)
  const to = text === undefined || text === '-' ? undefined : text
  if (to !== undefined && !batch.perRecord) await refuseForeign(to, runsFolder(options), overwrite)
  const setting: Setting = {
    workers,
    bare,
    output: batch.perRecord ? 'output' : `output${to === undefined ? '.jsonl' : extname(to).toLowerCase()}`,
    to: to === undefined ? undefined : resolve(to),
  }
  let threads: Threads | undefined
  try {
    const run = await newRun(options, batch, async (records) => {
      const rendering = await renderingOf(batch, { folder, records, to, bare }, options)
      await checkBudget(rendering, rendering.line)
      // They get ready while the table's mark is taken.
      threads = await Threads.for(rendering, setting, { folder, at: wordingOf(library)?.pinned })
      return rendering
    })
    const file: RenderRun = { ...run.file, ...setting, envelope: envelopeMark(library, model) }
    return await carry(run.folder, file, { ...run.prepared, source: run.records }, threads, { ...options, home: folder })
  } finally {
    await threads?.end()
  }
}

/**
 * Resumes a run that was interrupted. The output is the same, byte for byte, as that of a run without an interruption.
 *
 * @param folder - The run's folder.
 * @param options - The library, and values that options gave to the run.
 * @returns The counts, and where the run is.
 * @throws ProblemError if the run has finished, if another process is running it, or if anything it started with has changed.
 * @example
 * const library = await openLibrary('demo/marram-house')
 * const thrown = await resumeRun('demo/marram-house', { library }).catch((error) => error)
 * thrown.problems[0].code // => 'run-unreadable'
 */
export async function resumeRun(folder: string, options: ResumeOptions): Promise<RunResult<RenderCounts>> {
  const file = (await resumable(folder)) as RenderRun
  const changes = (batch: Batch, model: BatchModel) => envelopeChanges(file, batch, model)
  const { batch, home, records } = await unchangedBatch(folder, file, options, changes)
  const rendering = await renderingOf(batch, { folder: home, records, to: file.to, bare: file.bare }, options)
  const threads = await Threads.for(rendering, file, { folder: home, at: file.prompt.at })
  try {
    return await carry(folder, file, rendering, threads, { ...options, home })
  } finally {
    await threads?.end()
  }
}

/** All that decides what a run writes. */
async function renderingOf(
  batch: Batch,
  { folder, records, to, bare }: { folder: string; records: TableFile; to: string | undefined; bare: boolean },
  listener: ReadListener,
): Promise<Rendering> {
  const source = await openSource(batch, folder, records, listener)
  return { ...source, form: outputForm(to ?? 'output.jsonl', batch, source.known), line: await lineOptions(batch, bare) }
}

async function carry(
  folder: string,
  file: RenderRun,
  rendering: Rendering,
  threads: Threads | undefined,
  {
    also,
    overwrite = false,
    home,
    ...listener
  }: Omit<RenderOptions, keyof RunOptions | 'bare' | 'workers'> & ResumeOptions & { home: string },
): Promise<RunResult<RenderCounts>> {
  const { batch } = rendering
  const blocks: Step['blocks'] = threads ? (selection) => threads.blocks(rendering.source as TableFile, selection) : onThisThread(rendering)
  const head = Buffer.from(rendering.form.head, 'latin1')
  const lines = linesFile(file.output)
  const same = new SamePrompts()
  const base = batch.perRecord ? commonFolder(batch.model.to?.path ?? '') : undefined
  const audit = batch.library && AuditLog.of(home, batch.library)
  const task: Task<RenderCounts> = {
    audit,
    step: (counts = newRenderCounts()): Step<RenderCounts> => ({
      blocks,
      counts,
      onWritten: (block, places) => {
        for (const place of places)
          countWritten(counts, block.ids[place] ?? '', block.rows[place] ?? 0, block.sizes[place] ?? 0, block.tokens[place])
        return file.bare ? [] : same.compare(block, places, counts)
      },
    }),
    selection: { take: batch.model.take, base },
    files: { output: lines, base, heads: { ...(base === undefined && { [lines]: () => head }), [SEEN_FILE]: () => '' }, also },
    recall: async (files) => same.recall(await files.content(SEEN_FILE)),
    report: renderReport,
    publish: async () => {
      if (lines !== file.output) await convert(join(folder, lines), join(folder, file.output))
      const published = await publishOutput({ folder, file, batch, overwrite })
      return published ? { published } : {}
    },
    close: async () => audit?.close(),
    scratch: [SEEN_FILE, ...(lines === file.output ? [] : [lines])],
  }
  return carryOut(folder, file, () => Promise.resolve(task), listener)
}

/** The file that is written while the run goes on: the output itself, or the lines that become it. */
function linesFile(output: string): string {
  return ['.xlsx', '.parquet'].includes(extname(output)) ? 'cells.jsonl' : output
}

function envelopeChanges(file: RenderRun, { library }: Batch, model: BatchModel): Problem[] {
  if (!library || envelopeMark(library, model)?.fingerprint === file.envelope?.fingerprint) return []
  return [problem('run-changed', { what: `the envelope "${file.envelope?.name ?? ''}"`, detail: 'has changed' })]
}

function envelopeMark(library: Library, model: BatchModel): RenderRun['envelope'] {
  const name = model.envelope?.name
  return name === undefined ? undefined : { name, fingerprint: library.fingerprint({ kind: 'envelope', name }) ?? '' }
}
