import { copyFile, link, mkdir, readFile, rename, rm, stat } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { filesBelow } from '../output/files-below.js'
import { listRuns, type Published } from './run-file.js'

/**
 * Hands a run's output on to where it is wanted, in one step: there it is whole or not at all. The run keeps its own.
 */
export async function publish(from: string, to: string): Promise<Published> {
  await mkdir(dirname(to), { recursive: true })
  await place(from, to)
  const { size, mtimeMs } = await stat(to)
  return { path: to, bytes: size, changed: mtimeMs }
}

/**
 * Publishes a file for each record.
 *
 * @throws ProblemError if another file is at the path of one, unless it may be overwritten; then none has been published.
 */
export async function publishAll(from: string, to: string, overwrite: boolean): Promise<Published> {
  const paths = await filesBelow(from)
  if (!overwrite) {
    const taken: string[] = []
    for (const path of paths) if (await differs(join(from, path), join(to, path))) taken.push(path)
    const [first] = taken
    if (first !== undefined) throw new ProblemError([problem('output-exists', { path: join(to, first), more: taken.length - 1 })])
  }
  for (const path of paths) {
    await mkdir(dirname(join(to, path)), { recursive: true })
    await place(join(from, path), join(to, path))
  }
  return { path: to, bytes: paths.length, changed: 0 }
}

/** A second name for the file, where the disk can; else a copy. */
async function place(from: string, to: string): Promise<void> {
  const next = `${to}.new`
  await rm(next, { force: true })
  await link(from, next).catch(() => copyFile(from, next))
  await rename(next, to)
}

async function differs(from: string, to: string): Promise<boolean> {
  const there = await readFile(to).catch(() => undefined)
  return there !== undefined && !there.equals(await readFile(from))
}

/**
 * Makes sure that nothing is lost when a file is written: one that no run has put there, or that was changed since, is not written over unless
 * that was asked for. Prompts do not replace answers, nor answers prompts: `asks` tells which of them is written.
 *
 * @throws ProblemError if it would be.
 */
export async function refuseForeign(to: string, runs: string, overwrite: boolean, asks = false): Promise<void> {
  const there = await stat(to).catch(() => undefined)
  if (!there) return
  if (there.isDirectory()) throw new ProblemError([problem('file-unreadable', { file: to, why: 'it is a folder' })])
  const path = resolve(to)
  const makers = (await listRuns(runs)).filter(({ file: { published, sent = [] } }) =>
    [published, ...sent].some((known) => known?.path === path && known.bytes === there.size && known.changed === there.mtimeMs),
  )
  const isOurs = makers.some(({ file }) => 'asking' in file === asks)
  if (isOurs || overwrite) return
  const by = makers.length > 0 ? (asks ? 'run' : 'ask') : undefined
  throw new ProblemError([problem('output-exists', { path: to, more: 0, by })])
}
