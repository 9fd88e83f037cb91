import { createHash } from 'node:crypto'
import { mkdir, open, readdir, readFile, stat } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { fileName } from '../output/file-names.js'
import { problem, ProblemError, type StandInOptions } from 'dunelight'
import { reason } from '../reason.js'
import type { TableFile } from '../sources/open-table.js'
import type { AskCounts } from '../asking/ask-counts.js'
import type { TallyState } from './tally.js'

export type RunState = 'running' | 'done' | 'interrupted' | 'failed'

/** A table as it was when a run began. */
export interface SourceMark extends TableFile {
  readonly bytes: number
  readonly sha256: string
}

/** `run.json`: what was run, from what, and what came of it. */
export interface RunFile {
  readonly run: string
  readonly state: RunState
  /** The process that is running it. */
  readonly process?: number
  readonly started: string
  readonly ended?: string
  /** The library's folder, from the run's. */
  readonly library: string
  readonly batch: string | undefined
  /** What the batch's file says, with what was said over it. */
  readonly definition: Readonly<Record<string, unknown>>
  readonly prompt: { readonly name: string; readonly fingerprint: string }
  readonly envelope: { readonly name: string; readonly fingerprint: string } | undefined
  /** SHA-256 over the values that are the same for all records. */
  readonly given: string
  /** What those values were called by: kept for whoever carries the run on. */
  readonly said: readonly string[]
  readonly locale: string | undefined
  readonly workers: number
  /** Whether its lines have the record and its turns alone. */
  readonly bare: boolean
  readonly records: SourceMark
  readonly joined: readonly SourceMark[]
  /** The output's file in the run's folder, or the folder of a file for each record. */
  readonly output: string
  /** Where it is handed on to at the end, and how it stood there. */
  readonly to: string | undefined
  readonly published?: { readonly path: string; readonly bytes: number; readonly changed: number }
  /** The rows that were sent elsewhere, as they stand there. */
  readonly sent?: readonly { readonly path: string; readonly bytes: number; readonly changed: number }[]
  readonly counts?: TallyState
  /** Of a run that asks a model: which, how, and what came of it. */
  readonly asking?: Asking
  readonly seconds?: number
}

/** How far a model's own counts of tokens lie from ours, as earlier runs of it found. */
export interface TokenCorrection {
  /** What a count of ours is multiplied by. */
  readonly factor: number
  /** How many runs say so. */
  readonly runs: number
}

/** How a run asks a model. */
export interface Asking {
  readonly model: string
  readonly madeUp: boolean
  /** SHA-256 over all that makes it another model. */
  readonly identity: string
  /** How the stand-in was told to answer. */
  readonly standIn?: Pick<StandInOptions, 'seed' | 'misbehave'>
  /** How often a reply that its output refuses is asked for again. */
  readonly again: number
  /** Whether nothing is taken from what was answered before. */
  readonly fresh: boolean
  /** The one record that was asked for, and how many answers. */
  readonly only?: string
  readonly answers?: number
  /** How counts of tokens were corrected, by earlier runs. */
  readonly correction?: TokenCorrection
  readonly counts?: AskCounts
}

/** How far a run has come: what stands in its files up to there is whole. */
export interface Checkpoint {
  readonly records: number
  readonly output: number
  readonly aside: number
  readonly seen: number
  readonly tally: TallyState
  readonly seconds: number
  /** Whether all records have been written, and only the finishing is left. */
  readonly written: boolean
}

/** A new folder for a run of this name: no run is ever written over. */
export async function newRunFolder(runs: string, name: string): Promise<{ folder: string; run: string }> {
  await mkdir(runs, { recursive: true })
  const stem = fileName(name.replace(/[^\p{L}\p{N}_-]+/gu, '-'))
  const taken = (await readdir(runs)).flatMap((one) => (one.startsWith(`${stem}-`) ? [Number(one.slice(stem.length + 1))] : []))
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

/** @throws ProblemError where the folder holds no run. */
export async function readRun(folder: string): Promise<RunFile> {
  const path = join(folder, 'run.json')
  try {
    return JSON.parse(await readFile(path, 'utf8')) as RunFile
  } catch (fault) {
    const why = fault instanceof SyntaxError ? 'it is no run’s file' : reason(fault)
    throw new ProblemError([problem('run-unreadable', { folder, why })])
  }
}

/** Whether the process that a run names is still at it. */
export function isAlive({ state, process: pid }: RunFile): boolean {
  if (state !== 'running' || pid === undefined) return false
  try {
    process.kill(pid, 0)
    return true
  } catch (fault) {
    // Somebody else's process is alive all the same.
    return (fault as NodeJS.ErrnoException).code === 'EPERM'
  }
}

export interface ListedRun {
  readonly folder: string
  readonly file: RunFile
  /** Its state; `broken off` where it says that it is running and nobody is at it. */
  readonly state: RunState | 'broken off'
}

/** The runs of a library, the latest last. */
export async function listRuns(runs: string): Promise<readonly ListedRun[]> {
  const names = await readdir(runs).catch(() => [])
  const found: ListedRun[] = []
  for (const name of names) {
    const folder = join(runs, name)
    const file = await readRun(folder).catch(() => undefined)
    if (file) found.push({ folder, file, state: file.state === 'running' && !isAlive(file) ? 'broken off' : file.state })
  }
  return found.sort((a, b) => (a.file.started < b.file.started ? -1 : 1))
}

/** A table's size and SHA-256. */
export async function markOf(table: TableFile): Promise<SourceMark> {
  const from = resolve(table.from)
  const { size } = await stat(from)
  return { ...table, from, bytes: size, sha256: await hashOf(from) }
}

/** A file's SHA-256, read into one room: a gigabyte of rooms would stay with the process as memory that is never used again. */
async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256')
  const room = new Uint8Array(1 << 18)
  const file = await open(path, 'r')
  try {
    for (;;) {
      const { bytesRead } = await file.read(room, 0, room.length)
      if (bytesRead === 0) return hash.digest('hex')
      hash.update(room.subarray(0, bytesRead))
    }
  } finally {
    await file.close()
  }
}
