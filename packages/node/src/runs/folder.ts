import { mkdir, open, readFile, rm, type FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { fileName } from '../output/file-names.js'
import { append, replaceFile, writeNew } from '../output/files.js'
import type { Counts } from './counts.js'
import type { Destination, Point } from './engine.js'
import { safePath } from './safe-path.js'

export const REJECTED_FILE = 'rejected.jsonl'
export const CHECKPOINT_FILE = 'checkpoint.json'
/** Milliseconds between two checkpoints. */
const EVERY = 200

/** The progress of a run: the content of its files up to there is whole, and the rest is cut off when it is resumed. */
export interface Checkpoint {
  readonly records: number
  /** The length of each file, by its name. */
  readonly files: Readonly<Record<string, number>>
  readonly counts: Counts
  readonly seconds: number
  /** Whether all records are done, and only the end is left to do. */
  readonly whole: boolean
}

export async function readCheckpoint(folder: string): Promise<Checkpoint | undefined> {
  const text = await readFile(join(folder, CHECKPOINT_FILE), 'utf8').catch(() => undefined)
  return text === undefined ? undefined : (JSON.parse(text) as Checkpoint)
}

export interface FolderOptions {
  readonly folder: string
  /** The output's file in the folder, or the folder with a file for each record. */
  readonly output: string
  /** The part of the records' paths that all have in common, if each has a file of its own. */
  readonly base?: string | undefined
  /** The text above the records, by file: also the names of all files that may be appended to. */
  readonly heads: Readonly<Record<string, (headings: readonly string[]) => string | Uint8Array>>
  /** Gets all that is written to the output, too: standard output. */
  readonly also?: ((bytes: Uint8Array) => Promise<void>) | undefined
}

/** The files of a run's folder. They are only added to, and at short intervals it is noted how far all of them are whole. */
export class RunFolder implements Destination {
  /** What is on its way to the output, while the next block is made. */
  private pending: Promise<void> = Promise.resolve()
  private last = performance.now()
  private point: Point
  readonly writeFile: Destination['writeFile']

  private constructor(
    private readonly options: FolderOptions,
    private readonly files: Map<string, FileHandle>,
    private readonly sizes: Record<string, number>,
    readonly before: Checkpoint | undefined,
    counts: Counts,
  ) {
    this.point = before ?? { records: 0, counts, seconds: 0 }
    const { base, folder, output } = options
    if (base !== undefined) this.writeFile = (path, bytes) => writeNew(join(folder, output, safePath(path, base) ?? fileName(path)), bytes)
  }

  /** Opens the files, cut off after what is known to be whole. */
  static async open(options: FolderOptions, before: Checkpoint | undefined, counts: Counts): Promise<RunFolder> {
    const { folder, output, base, heads } = options
    // A run that begins again leaves nothing of its last attempt, and what that published is not written into.
    if (!before) await rm(join(folder, output), { recursive: true, force: true })
    if (base !== undefined) await mkdir(join(folder, output), { recursive: true })
    const files = new Map<string, FileHandle>()
    const sizes: Record<string, number> = {}
    for (const name of new Set([...(base === undefined ? [output] : []), REJECTED_FILE, ...Object.keys(heads)])) {
      const length = before?.files[name] ?? 0
      sizes[name] = length
      // A file that only some runs need comes into being with its first line.
      if (length === 0 && name !== output && name !== REJECTED_FILE) await rm(join(folder, name), { force: true })
      else files.set(name, await opened(join(folder, name), length))
    }
    return new RunFolder(options, files, sizes, before, counts)
  }

  async begin(headings: readonly string[]): Promise<void> {
    for (const [name, head] of Object.entries(this.options.heads)) {
      const content = this.sizes[name] === 0 ? head(headings) : ''
      if (content.length === 0) continue
      await this.add(name, content)
      if (name === this.options.output) await this.options.also?.(typeof content === 'string' ? Buffer.from(content) : content)
    }
  }

  async write(pieces: readonly Uint8Array[]): Promise<void> {
    await this.pending
    this.pending = this.writeAll(pieces)
    // Heard of with the next block, or at the end.
    this.pending.catch(() => undefined)
  }

  reject(lines: string): Promise<void> {
    return this.add(REJECTED_FILE, lines)
  }

  async add(name: string, content: string | Uint8Array): Promise<void> {
    if (!(name in this.sizes)) return
    const file = this.files.get(name) ?? (await opened(join(this.options.folder, name), 0))
    this.files.set(name, file)
    this.sizes[name] = (this.sizes[name] ?? 0) + (await append(file, content, name))
  }

  async reached(point: Point): Promise<void> {
    this.point = point
    if (performance.now() - this.last > EVERY) await this.note(false)
  }

  get seconds(): number {
    return this.point.seconds
  }

  /** Writes down how far the run has come. */
  async note(whole: boolean): Promise<void> {
    await this.pending
    const { records, counts, seconds } = this.point
    const checkpoint: Checkpoint = { records, files: this.sizes, counts, seconds, whole }
    // Not waited for: text in the files after an older note is cut off.
    await replaceFile(join(this.options.folder, CHECKPOINT_FILE), JSON.stringify(checkpoint), { durable: false })
    this.last = performance.now()
  }

  /** The current content of a file. */
  async content(name: string): Promise<Uint8Array> {
    const length = this.sizes[name] ?? 0
    const result = await this.files.get(name)?.read(new Uint8Array(length), 0, length, 0)
    return result?.buffer ?? new Uint8Array(0)
  }

  async close(): Promise<void> {
    await this.pending.catch(() => undefined)
    for (const file of this.files.values()) await file.close()
  }

  private async writeAll(pieces: readonly Uint8Array[]): Promise<void> {
    for (const bytes of pieces) {
      await this.add(this.options.output, bytes)
      await this.options.also?.(bytes)
    }
  }
}

/** Opens a file to add to it, cut off after this many bytes. */
async function opened(path: string, length: number): Promise<FileHandle> {
  const file = await open(path, 'a+')
  // Not cut if there is nothing to cut off: some disks write all of a file that was ever cut when it is closed, and have it waited for.
  if ((await file.stat()).size > length) await file.truncate(length)
  return file
}
