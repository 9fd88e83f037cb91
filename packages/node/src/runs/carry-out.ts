import { rm } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { replaceFile, WriteFault } from '../output/files.js'
import type { Counts } from './counts.js'
import { work, type RunListener } from './engine.js'
import { CHECKPOINT_FILE, readCheckpoint, RunFolder, type FolderOptions } from './folder.js'
import { Lease } from './lease.js'
import { toHtml, toMarkdown, type Report } from './report-layout.js'
import type { RunFile, RunState } from './run-file.js'
import { Selection, type SelectionOptions } from './selection.js'
import type { Step } from './step.js'

/** What a kind of run does with its records, and with what came of them. */
export interface Task<C extends Counts = Counts> {
  /** @param folder The current content of the step's own files. */
  readonly step: (counts: C | undefined) => Step<C>
  readonly selection: SelectionOptions
  readonly files: Omit<FolderOptions, 'folder'>
  /** Called once the files are open: what the step has to remember of what was done before. */
  readonly recall?: (folder: RunFolder, step: Step<C>) => Promise<void>
  readonly report: (file: RunFile, library: string, counts: C) => Report
  /** Converts the output to its format, and publishes it. */
  readonly publish: (folder: string, counts: Counts) => Promise<Pick<RunFile, 'published' | 'sent'>>
  /** Whether records wait for a person's decision: then the run begins again once that is made, and what was answered is not asked again. */
  readonly isWaiting?: (counts: C) => boolean
  /** The audit of the library, if it has one: it gets a line at the begin and at the end. */
  readonly audit?: RunAudit | undefined
  /** Files that only an unfinished run needs. */
  readonly scratch?: readonly string[]
  readonly close?: () => Promise<void>
}

/** What an audit is told of a run. */
interface RunAudit {
  write(entry: {
    readonly operation: 'run'
    readonly run: string
    readonly prompt: string
    readonly fingerprint: string
    readonly status: Exclude<RunState, 'running'> | 'begun'
  }): Promise<void>
}

/** What came of a run. */
export interface RunResult<C extends Counts = Counts> {
  readonly folder: string
  readonly file: RunFile
  readonly counts: C
  readonly state: RunState
}

/**
 * Does a run's work in its folder: from the beginning, or from where it was interrupted.
 *
 * @param open Opens what the task needs: called once no other process works on the run.
 * @throws ProblemError if another process works on it.
 */
export async function carryOut<C extends Counts>(
  folder: string,
  file: RunFile,
  open: () => Promise<Task<C>>,
  listener: RunListener,
): Promise<RunResult<C>> {
  const lease = await Lease.take(folder)
  if (!(lease instanceof Lease)) throw new ProblemError([problem('run-active', { run: file.run, process: lease.process })])
  try {
    await writeRun(folder, { ...file, state: 'running' })
    listener.onBegun?.(file.run)
    const task = await open()
    const { prompt: asked, run } = file
    const { name, fingerprint } = asked
    const audited = async (status: Exclude<RunState, 'running'> | 'begun') =>
      task.audit?.write({ operation: 'run', run, prompt: name, fingerprint, status })
    try {
      await audited('begun')
      const result = await underLease(folder, file, task, listener).catch(async (fault: unknown) => {
        await audited('failed').catch(() => undefined)
        throw fault
      })
      await audited(result.state === 'running' ? 'interrupted' : result.state)
      return result
    } finally {
      await task.close?.()
    }
  } finally {
    await lease.release()
  }
}

async function underLease<C extends Counts>(folder: string, file: RunFile, task: Task<C>, listener: RunListener): Promise<RunResult<C>> {
  const before = await readCheckpoint(folder)
  const step = task.step(before?.counts as C | undefined)
  const to = await RunFolder.open({ ...task.files, folder }, before, step.counts)
  const end = async (state: RunState, more: Partial<RunFile> = {}): Promise<RunResult<C>> => {
    const { counts } = step
    const ended = new Date().toISOString()
    const whole: RunFile = { ...file, ...more, state, counts, seconds: Math.round(to.seconds * 100) / 100, ended }
    const report = task.report(whole, resolve(folder, file.library), counts)
    await replaceFile(join(folder, 'report.md'), toMarkdown(report))
    await replaceFile(join(folder, 'report.html'), await toHtml(report))
    await writeRun(folder, whole)
    return { folder, file: whole, counts, state }
  }
  try {
    await task.recall?.(to, step)
    if (!before?.whole) {
      const selection = new Selection({ ...task.selection, unique: true, done: before?.records ?? 0 })
      const whole = await work({ ...listener, step, selection, to, bytes: file.records.bytes })
      await to.note(whole)
      if (!whole) return await end('interrupted')
    }
    const waits = task.isWaiting?.(step.counts) ?? false
    const result = waits ? await end('waiting') : await end('done', await task.publish(folder, step.counts))
    for (const name of [CHECKPOINT_FILE, ...(task.scratch ?? [])]) await rm(join(folder, name), { force: true })
    return result
  } catch (fault) {
    // What is whole stays, and can be continued.
    await to.note(false).catch(() => undefined)
    await end('failed').catch(() => undefined)
    if (fault instanceof WriteFault) fault.run = folder
    throw fault
  } finally {
    await to.close()
  }
}

/** Writes a run's file in one step. */
export function writeRun(folder: string, file: RunFile): Promise<void> {
  return replaceFile(join(folder, 'run.json'), `${JSON.stringify(file, null, 2)}\n`)
}
