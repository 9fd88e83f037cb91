import { randomUUID } from 'node:crypto'
import { link, mkdir, rm, utimes } from 'node:fs/promises'
import { hostname } from 'node:os'
import { join } from 'node:path'
import { writeNew } from '../output/files.js'
import { holderOfFile, LEASE_BEAT, removeOld, type Holder } from '../runs/lease.js'

const WITHOUT_LINKS: ReadonlySet<string> = new Set(['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'ENOSYS', 'EMLINK', 'EACCES'])

/**
 * One process at a time asks a question of a library. Each process has one file that it renews, and a lease is a link to it: taken and given
 * up in one step, alive as long as its process is.
 */
export class QuestionLeases {
  private readonly beat: NodeJS.Timeout
  private readonly own: string

  private constructor(
    private readonly folder: string,
    id: string,
  ) {
    this.own = join(folder, `${id}.json`)
    this.beat = setInterval(() => {
      const now = new Date()
      utimes(this.own, now, now).catch(() => undefined)
    }, LEASE_BEAT)
    this.beat.unref()
  }

  static async open(folder: string): Promise<QuestionLeases> {
    await mkdir(folder, { recursive: true })
    const holder: Holder = { host: hostname(), process: process.pid, id: randomUUID() }
    const leases = new QuestionLeases(folder, holder.id)
    await writeNew(leases.own, JSON.stringify(holder))
    return leases
  }

  /** Whether the question is now this process's to ask. */
  async take(key: string): Promise<boolean> {
    const path = join(this.folder, key)
    for (;;) {
      try {
        await link(this.own, path)
        return true
      } catch (fault) {
        const { code } = fault as NodeJS.ErrnoException
        // A file system without links has no leases: each process asks for itself, as before.
        if (code !== undefined && WITHOUT_LINKS.has(code)) return true
        if (code !== 'EEXIST') throw fault
      }
      if (await holderOfFile(path)) return false
      await removeOld(path, `${this.own}.${key}`)
    }
  }

  async release(key: string): Promise<void> {
    await rm(join(this.folder, key), { force: true })
  }

  async close(): Promise<void> {
    clearInterval(this.beat)
    await rm(this.own, { force: true })
  }
}
