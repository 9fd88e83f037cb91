import { mkdir, open, readdir, type FileHandle } from 'node:fs/promises'
import { hostname } from 'node:os'
import { join } from 'node:path'
import { Lease } from '../runs/lease.js'
import { AUDIT, lineHash, readAuditLine } from './audit-line.js'

const DAY = /^\d{4}-\d\d-\d\d$/
/** Lines that are looked at from the end of a file. */
const TAIL_BYTES = 1 << 20

/** The days of an audit, the oldest first. */
export async function daysOf(root: string): Promise<string[]> {
  return (await readdir(join(root, AUDIT)).catch((): string[] => [])).filter((name) => DAY.test(name)).sort()
}

/** A place among the writers of a library: one process at a time has it, and the next one continues its chain. */
export class Writer {
  private constructor(
    readonly name: string,
    private readonly lease: Lease,
  ) {}

  static async take(root: string): Promise<Writer> {
    const host =
      hostname()
        .replace(/[^A-Za-z0-9-]+/g, '-')
        .slice(0, 40) || 'host'
    for (let number = 1; ; number++) {
      const name = `${host}-${number}`
      const folder = join(root, AUDIT, 'writers', name)
      await mkdir(folder, { recursive: true })
      const lease = await Lease.take(folder)
      if (lease instanceof Lease) return new Writer(name, lease)
    }
  }

  async release(): Promise<void> {
    await this.lease.release()
  }
}

/** Where a chain ends. */
export interface ChainEnd {
  /** The day of the last line; undefined for a new chain. */
  readonly day: string | undefined
  readonly seq: number
  readonly hash: string | null
  readonly time: string
  /** The digest of a line that was not written to its end. */
  readonly torn: string | undefined
}

export const NO_CHAIN: ChainEnd = { day: undefined, seq: 0, hash: null, time: '', torn: undefined }

/** The end of a writer's chain, as it is on the disk. */
export async function chainEnd(root: string, writer: string): Promise<ChainEnd> {
  for (const day of (await daysOf(root)).reverse()) {
    const path = join(root, AUDIT, day, `${writer}.jsonl`)
    const file = await open(path, 'r').catch(() => undefined)
    if (!file) continue
    try {
      const end = await endOf(file)
      if (end) return { day, ...end }
    } finally {
      await file.close()
    }
  }
  return NO_CHAIN
}

async function endOf(file: FileHandle): Promise<Omit<ChainEnd, 'day'> | undefined> {
  const { size } = await file.stat()
  if (size === 0) return undefined
  const tail = Buffer.alloc(Math.min(size, TAIL_BYTES))
  await file.read(tail, 0, tail.length, size - tail.length)
  const end = tail.lastIndexOf(10) + 1
  const torn = tail.subarray(end)
  const lines = tail.toString('utf8', 0, end).split('\n').slice(0, -1)
  const known = lines.findLast((line) => readAuditLine(line) !== undefined)
  const last = known === undefined ? undefined : readAuditLine(known)
  const before = torn.length > 0 ? lineHash(torn) : lines.length > 0 ? lineHash(lines.at(-1) ?? '') : null
  return { seq: last?.seq ?? 0, hash: before, time: last?.time ?? '', torn: torn.length > 0 ? lineHash(torn) : undefined }
}
