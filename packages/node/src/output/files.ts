import { appendFile, mkdir, open, rename, rm, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'
import { createReadStream, createWriteStream } from 'node:fs'
import { pipeline } from 'node:stream/promises'
import { createGzip } from 'node:zlib'
import { reason } from './reason.js'
import { secrets } from './secrets.js'

// All that this package writes to files goes through here, so that no secret reaches a disk.

/** A file that cannot be written: a full disk, most often. What was written before is complete. */
export class WriteFault extends Error {
  override readonly name: string = 'WriteFault'

  constructor(
    readonly file: string,
    readonly why: string,
    options?: ErrorOptions,
  ) {
    super(`cannot write ${file}: ${why}`, options)
  }

  /** The folder of the run. */
  run: string | undefined
}

function redacted(content: string | Uint8Array): string | Buffer {
  if (typeof content === 'string') return secrets.redact(content)
  const { buffer, byteOffset, length } = secrets.redactBytes(content)
  return Buffer.from(buffer, byteOffset, length)
}

export interface ReplaceOptions {
  /** Whether the content must be on the disk before the file takes its place. Default: true. */
  readonly durable?: boolean
  readonly mode?: number
}

/**
 * Replaces a file in one step, so that it is never half written. A package for this was tried: it listens for every signal of the process, and
 * so undoes a signal setting of the process.
 */
export async function replaceFile(
  path: string,
  content: string | Uint8Array,
  { durable = true, mode }: ReplaceOptions = {},
): Promise<void> {
  const beside = `${path}.${process.pid}-${++replaced}.new`
  try {
    const file = await open(beside, 'w', mode)
    try {
      await file.writeFile(redacted(content))
      if (durable) await file.sync()
    } finally {
      await file.close()
    }
    await rename(beside, path)
  } catch (fault) {
    await rm(beside, { force: true })
    throw fault
  }
}

/** Files that were replaced: two at a time do not share a name. */
let replaced = 0

/** What of a platform's open file is needed: its own type would ask programs for the platform's declarations. */
export interface OpenFile {
  write(bytes: Uint8Array, offset: number, length: number): Promise<{ readonly bytesWritten: number }>
}

/**
 * Adds to the end of an open file, however many bytes the system takes at a time.
 *
 * @returns how many bytes were added
 * @throws WriteFault where it cannot be written.
 */
export async function append(file: OpenFile, content: string | Uint8Array, name: string): Promise<number> {
  const written = redacted(content)
  const bytes = typeof written === 'string' ? Buffer.from(written) : written
  try {
    for (let position = 0; position < bytes.length;) position += (await file.write(bytes, position, bytes.length - position)).bytesWritten
  } catch (fault) {
    throw new WriteFault(name, reason(fault), { cause: fault })
  }
  return bytes.length
}

/** Adds to the end of the file at a path. */
export async function appendTo(path: string, text: string): Promise<void> {
  try {
    await appendFile(path, redacted(text))
  } catch (fault) {
    throw new WriteFault(path, reason(fault), { cause: fault })
  }
}

/** Writes a new file, and the folders to it. */
export async function writeNew(path: string, content: string | Uint8Array): Promise<void> {
  try {
    await mkdir(dirname(path), { recursive: true })
    await writeFile(path, redacted(content))
  } catch (fault) {
    throw new WriteFault(path, reason(fault), { cause: fault })
  }
}

/** Compresses a file that was written here, to one with `.gz` behind its name, which takes its place. Nothing is done if there is none. */
export async function compressFile(path: string): Promise<void> {
  try {
    await pipeline(createReadStream(path), createGzip(), createWriteStream(`${path}.gz.new`))
  } catch (fault) {
    await rm(`${path}.gz.new`, { force: true })
    if ((fault as NodeJS.ErrnoException).code === 'ENOENT') return
    throw new WriteFault(`${path}.gz`, reason(fault), { cause: fault })
  }
  await rename(`${path}.gz.new`, `${path}.gz`)
  await rm(path)
}
