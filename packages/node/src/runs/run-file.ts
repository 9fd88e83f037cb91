import { mkdir, readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { fileName } from '../output/file-names.js'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { reason } from '../output/reason.js'
import type { Counts } from './counts.js'
import { holderOf } from './lease.js'
import type { SourceMark } from './source-mark.js'

/** `waiting`: a person has to decide before it can be finished. */
export type RunState = 'running' | 'done' | 'waiting' | 'interrupted' | 'failed'

/** The state of a file where it was published. */
export interface Published {
  readonly path: string
  readonly bytes: number
  readonly changed: number
}

/** `run.json`: what was run, from what, and what came of it. Each kind of run adds what it needs to be continued. */
export interface RunFile {
  readonly run: string
  readonly state: RunState
  readonly started: string
  readonly ended?: string
  /** The library's folder, from the run's. */
  readonly library: string
  readonly batch: string | undefined
  /** The batch's file, overridden by the options. */
  readonly definition: Readonly<Record<string, unknown>>
  readonly prompt: {
    readonly name: string
    readonly fingerprint: string
    /** Where the wording comes from if it is not that of the working files: `label/write@7`. */
    readonly at?: string
    /** The digest of the edition. */
    readonly edition?: string
  }
  /** SHA-256 over the values that are the same for all records. */
  readonly values: string
  /** The options that set those values, for a resumed run. */
  readonly set: readonly string[]
  readonly locale: string | undefined
  readonly records: SourceMark
  readonly joined: readonly SourceMark[]
  /** The output's file in the run's folder, or the folder with a file for each record. */
  readonly output: string
  /** Where it is published at the end, and how it stood there. */
  readonly to: string | undefined
  readonly published?: Published
  /** Rows that were sent to other files, as they are there. */
  readonly sent?: readonly Published[]
  readonly counts?: Counts
  readonly seconds?: number
}

/** A new folder for a run of this name: no run is ever written over. */
export async function newRunFolder(runs: string, name: string): Promise<{ folder: string; run: string }> {
  await mkdir(runs, { recursive: true })
  const stem = fileName(name.replace(/[^\p{L}\p{N}_-]+/gu, '-'))
  const taken = (await readdir(runs)).flatMap((text) => (text.startsWith(`${stem}-`) ? [Number(text.slice(stem.length + 1))] : []))
  for (let number = Math.max(0, ...taken.filter(Number.isInteger)) + 1; ; number++) {
    const run = `${stem}-${number}`
    try {
      await mkdir(join(runs, run))
      return { folder: join(runs, run), run }
    } catch (fault) {
      // Another process took the number a moment ago.
      if ((fault as NodeJS.ErrnoException).code !== 'EEXIST') throw fault
    }
  }
}

/**
 * Reads the `run.json` of a run.
 *
 * @param folder - The run's folder.
 * @returns What the run started with, its state and its counts.
 * @throws ProblemError if the folder has no run.
 * @example
 * const thrown = await readRun('demo').catch((error) => error)
 * thrown.problems[0].code // => 'run-unreadable'
 */
export async function readRun(folder: string): Promise<RunFile> {
  const path = join(folder, 'run.json')
  try {
    return JSON.parse(await readFile(path, 'utf8')) as RunFile
  } catch (fault) {
    const why = fault instanceof SyntaxError ? 'run.json is invalid' : reason(fault)
    throw new ProblemError([problem('run-unreadable', { folder, why })], { cause: fault })
  }
}

/** A run as it is listed. */
export interface ListedRun {
  readonly folder: string
  readonly file: RunFile
  /** Its state; `broken off` if the file has `running` and no process works on it. */
  readonly state: RunState | 'crashed'
}

/**
 * Lists the runs of a library, the latest last.
 *
 * @param runs - The folder of the runs.
 * @returns The runs with their state; an empty list if the folder does not exist.
 * @example
 * await listRuns(scratch) // => []
 */
export async function listRuns(runs: string): Promise<readonly ListedRun[]> {
  const names = await readdir(runs).catch(() => [])
  const listed: ListedRun[] = []
  for (const name of names) {
    const folder = join(runs, name)
    const file = await readRun(folder).catch(() => undefined)
    if (file) listed.push({ folder, file, state: file.state === 'running' && !(await holderOf(folder)) ? 'crashed' : file.state })
  }
  return listed.sort((a, b) => (a.file.started < b.file.started ? -1 : 1))
}
