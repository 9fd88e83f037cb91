import { link, open, readFile, rename, rm, stat, utimes } from 'node:fs/promises'
import { hostname } from 'node:os'
import { join } from 'node:path'
import { randomUUID } from 'node:crypto'

/** The file in a run's folder that names the process working on it. */
const FILE = 'lease.json'
/** Milliseconds between two renewals, and until a lease without a renewal expires. */
export const LEASE_BEAT = 2000
const RUNS_OUT = 20_000

/** Who works on a run. */
export interface Holder {
  readonly host: string
  readonly process: number
  /** Distinguishes leases of one process, and of processes that got the same number. */
  readonly id: string
}

/**
 * A lease on a run's folder: one process at a time works on it. A process number would not be enough: it is another's after a while, and in
 * another container. So the holder renews its lease, and one that is not renewed runs out; on the same machine, as soon as its process is
 * gone. (The packages for this listen for every signal of the process, and so undo its signal settings.)
 */
export class Lease {
  private readonly beat: NodeJS.Timeout

  private constructor(
    private readonly path: string,
    private readonly holder: Holder,
  ) {
    this.beat = setInterval(() => void this.renew(), LEASE_BEAT)
    this.beat.unref()
  }

  /** Takes the lease; returns its holder if that is another process. */
  static async take(folder: string): Promise<Lease | Holder> {
    const path = join(folder, FILE)
    const holder: Holder = { host: hostname(), process: process.pid, id: randomUUID() }
    for (;;) {
      if (await create(path, holder)) return new Lease(path, holder)
      const other = await holderOf(folder)
      if (other) return other
      await removeOld(path, `${path}.${holder.id}`)
    }
  }

  async release(): Promise<void> {
    clearInterval(this.beat)
    if ((await read(this.path))?.id === this.holder.id) await rm(this.path, { force: true })
  }

  private async renew(): Promise<void> {
    if ((await read(this.path))?.id !== this.holder.id) return
    const now = new Date()
    await utimes(this.path, now, now).catch(() => undefined)
  }
}

/** The process that works on a run; undefined if none does. */
export async function holderOf(folder: string): Promise<Holder | undefined> {
  return holderOfFile(join(folder, FILE))
}

/** The same for the file of any lease. */
export async function holderOfFile(path: string): Promise<Holder | undefined> {
  const [holder, stats] = await Promise.all([read(path), stat(path).catch(() => undefined)])
  if (!stats) return undefined
  // Between its making and its writing it is empty.
  if (!holder) return Date.now() - stats.mtimeMs < LEASE_BEAT ? { host: hostname(), process: 0, id: '' } : undefined
  if (holder.host === hostname() && !isAlive(holder.process)) return undefined
  return Date.now() - stats.mtimeMs < RUNS_OUT ? holder : undefined
}

/** Removes a lease that has expired; if another process has renewed it meanwhile, it is put back. */
export async function removeOld(path: string, away: string): Promise<void> {
  const old = await read(path)
  await rename(path, away).catch(() => undefined)
  const moved = await read(away)
  if (moved && moved.id !== old?.id) await link(away, path).catch(() => undefined)
  await rm(away, { force: true })
}

async function create(path: string, holder: Holder): Promise<boolean> {
  try {
    const file = await open(path, 'wx')
    await file.writeFile(JSON.stringify(holder))
    await file.close()
    return true
  } catch (fault) {
    if ((fault as NodeJS.ErrnoException).code === 'EEXIST') return false
    throw fault
  }
}

async function read(path: string): Promise<Holder | undefined> {
  try {
    return JSON.parse(await readFile(path, 'utf8')) as Holder
  } catch {
    return undefined
  }
}

function isAlive(id: number): boolean {
  try {
    process.kill(id, 0)
    return true
  } catch (fault) {
    // Another user's process is alive all the same.
    return (fault as NodeJS.ErrnoException).code === 'EPERM'
  }
}
