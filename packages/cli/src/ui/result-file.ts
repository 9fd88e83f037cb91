import { createWriteStream, type WriteStream } from 'node:fs'
import { access, realpath } from 'node:fs/promises'
import { dirname, resolve } from 'node:path'
import { Writable } from 'node:stream'
import { finished } from 'node:stream/promises'
import { reason, secrets } from '@dunelight/node/host'
import { WrongUse } from './context.js'

/**
 * A file that comes into being with its first line, or with the end of a run that had none: a run that fails before it has a result leaves
 * what was there before.
 *
 * @throws WrongUse where it exists and must not be written over, where its folder cannot be written to, or where it is one of `inputs`.
 */
export async function resultFile(path: string, overwrite: boolean, inputs: readonly (string | undefined)[]): Promise<Writable> {
  for (const input of inputs) {
    if (input !== undefined && (await sameFile(path, input)))
      throw new WrongUse(`${path} would be written over while it is read or written`, 'choose another name')
  }
  if (!overwrite && (await exists(path))) throw new WrongUse(`${path} exists already`, 'choose another name, or add --overwrite')
  if (!(await exists(dirname(resolve(path))))) throw new WrongUse(`cannot write to ${path}: its folder does not exist`)
  return new ResultFile(path, overwrite ? 'w' : 'wx')
}

/** Writes a whole text as a result file. */
export async function writeResult(
  path: string,
  text: string,
  overwrite: boolean,
  inputs: readonly (string | undefined)[] = [],
): Promise<void> {
  const file = await resultFile(path, overwrite, inputs)
  file.write(text)
  await closed(file)
}

/** Waits until all that was written is on the disk. */
export async function closed(file: Writable): Promise<void> {
  file.end()
  await finished(file)
}

class ResultFile extends Writable {
  private file: WriteStream | undefined

  constructor(
    private readonly path: string,
    private readonly flags: string,
  ) {
    super({ decodeStrings: false })
    // A write reports its own fault; nothing else listens for it.
    this.on('error', () => undefined)
  }

  override _write(chunk: string, _encoding: string, done: (fault?: Error | null) => void): void {
    this.open().write(secrets.redact(chunk), (fault) => done(fault && this.inWords(fault)))
  }

  /** A run that ended well has a result, if an empty one. */
  override _final(done: (fault?: Error | null) => void): void {
    this.open().end(done)
  }

  override _destroy(fault: Error | null, done: (fault?: Error | null) => void): void {
    this.file?.destroy()
    done(fault)
  }

  private open(): WriteStream {
    if (this.file) return this.file
    this.file = createWriteStream(this.path, { flags: this.flags })
    this.file.on('error', (fault) => this.destroy(this.inWords(fault)))
    return this.file
  }

  private inWords(fault: Error): WrongUse {
    return new WrongUse(`cannot write to ${this.path}: ${reason(fault)}`)
  }
}

export function exists(path: string): Promise<boolean> {
  return access(path).then(
    () => true,
    () => false,
  )
}

/** Whether two paths name one file, links followed. */
async function sameFile(a: string, b: string): Promise<boolean> {
  const [text, other] = await Promise.all([a, b].map((path) => realpath(path).catch(() => resolve(path))))
  return text === other
}
