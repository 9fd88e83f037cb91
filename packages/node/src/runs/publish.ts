import { createHash } from 'node:crypto'
import { copyFile, link, mkdir, readFile, rename, rm, stat } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { ProblemError } from 'dunelight'
import { problem, type Batch } from 'dunelight/host'
import { replaceFile } from '../output/files.js'
import { filesBelow } from '../output/files-below.js'
import { listRuns, type Published, type RunFile } from './run-file.js'
import { commonFolder } from './safe-path.js'

/**
 * Hands a run's output on to where it is wanted, in one step: there it is whole or not at all. The run keeps its own.
 */
export async function publish(from: string, to: string): Promise<Published> {
  await mkdir(dirname(to), { recursive: true })
  await place(from, to)
  const { size, mtimeMs } = await stat(to)
  return { path: to, bytes: size, changed: mtimeMs }
}

/** A run's output that is handed on. */
interface Output {
  /** The run's folder. */
  readonly folder: string
  readonly file: Pick<RunFile, 'output' | 'to'>
  readonly batch: Pick<Batch, 'perRecord' | 'model'>
  readonly overwrite: boolean
}

/** Hands a run's output on: the one file, or a file for each record. Undefined if it stays in the run's folder. */
export function publishOutput({ folder, file, batch, overwrite }: Output): Promise<Published> | undefined {
  const { perRecord, model } = batch
  if (file.to === undefined) return undefined
  const from = join(folder, file.output)
  if (!perRecord || !model.to) return publish(from, file.to)
  const to = resolve(file.to.slice(0, file.to.length - model.to.path.length), commonFolder(model.to.path))
  return publishAll(from, to, folder, overwrite)
}

/** The files that a run has published, by path and checksum: what is changed there since is not replaced. */
const PUBLISHED_FILE = 'published.jsonl'

/**
 * Publishes a file for each record.
 *
 * @param folder The run's folder. Files that a run beside it published there, and that are unchanged since, are replaced.
 * @throws ProblemError if another file is at the path of one, unless it may be overwritten; then none has been published.
 */
async function publishAll(from: string, to: string, folder: string, overwrite: boolean): Promise<Published> {
  const paths = await filesBelow(from)
  if (!overwrite) {
    const ours = await publishedBefore(dirname(folder), to)
    const taken: string[] = []
    for (const path of paths) {
      const there = await checksumOf(join(to, path))
      if (there !== undefined && !ours.has(`${path} ${there}`) && there !== (await checksumOf(join(from, path)))) taken.push(path)
    }
    const [first] = taken
    if (first !== undefined) throw new ProblemError([problem('output-exists', { path: join(to, first), more: taken.length - 1 })])
  }
  const lines: string[] = []
  for (const path of paths) {
    await mkdir(dirname(join(to, path)), { recursive: true })
    await place(join(from, path), join(to, path))
    lines.push(`${JSON.stringify({ to, path, sha256: await checksumOf(join(from, path)) })}\n`)
  }
  await replaceFile(join(folder, PUBLISHED_FILE), lines.join(''))
  return { path: to, bytes: paths.length, changed: 0 }
}

/** What the runs of a folder have published to another, as path and checksum. */
async function publishedBefore(runs: string, to: string): Promise<ReadonlySet<string>> {
  const known = new Set<string>()
  for (const { folder } of await listRuns(runs)) {
    const text = await readFile(join(folder, PUBLISHED_FILE), 'utf8').catch(() => '')
    for (const line of text.split('\n').filter(Boolean)) {
      const { to: place, path, sha256 } = JSON.parse(line) as { to: string; path: string; sha256: string }
      if (place === to) known.add(`${path} ${sha256}`)
    }
  }
  return known
}

async function checksumOf(path: string): Promise<string | undefined> {
  const content = await readFile(path).catch(() => undefined)
  return content && createHash('sha256').update(content).digest('hex')
}

/** A second name for the file, where the disk can; else a copy. */
async function place(from: string, to: string): Promise<void> {
  const next = `${to}.new`
  await rm(next, { force: true })
  await link(from, next).catch(() => copyFile(from, next))
  await rename(next, to)
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
