import { mkdir, readdir, readFile, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { replaceFile, sha256, textBytes } from '@dunelight/node/host'
import type { Caller } from '../callers/caller.js'
import { ServiceFault } from '../faults/fault.js'

/** A result as it is kept: an answer, or a refusal that would be the same again. */
export interface KeptResult {
  readonly status: number
  readonly body: string
}

/** A refusal as a result. */
export function refusedResult({ status, details }: ServiceFault): KeptResult {
  return { status, body: JSON.stringify(details) }
}

interface KeptFile extends KeptResult {
  readonly request: string
}

const KEPT_HOURS = 24
const KEY = /^[\x21-\x7e]{1,200}$/
/** Refusals that are the same again, whenever the request is repeated. */
const FINAL = new Set([400, 404, 422])

/**
 * Results by the header `Idempotency-Key`, within a caller and a route: a request that is repeated gets the same result, and nothing is done
 * twice. Results are on the disk before they are sent.
 */
export class Idempotency {
  private readonly running = new Set<string>()

  private constructor(private readonly folder: string) {}

  static async open(state: string): Promise<Idempotency> {
    const folder = join(state, 'results')
    await mkdir(folder, { recursive: true })
    const kept = new Idempotency(folder)
    await kept.removeOld()
    return kept
  }

  /**
   * Does what a request asks for, unless it was done before. A refusal that would be the same again is a result, too.
   *
   * @throws ServiceFault for every other refusal.
   */
  async once(caller: Caller, route: string, key: string, body: string, run: () => Promise<KeptResult>): Promise<KeptResult> {
    if (!KEY.test(key)) throw new ServiceFault('request-invalid', 'the Idempotency-Key must be 1 to 200 visible characters')
    const name = sha256(textBytes(`${caller.id}\n${route}\n${key}`))
    const request = sha256(textBytes(body))
    if (this.running.has(name)) throw new ServiceFault('request-running', 'the request with this key is still running', { retryAfter: 1 })
    this.running.add(name)
    try {
      const before = await this.read(name)
      if (before && before.request !== request) throw new ServiceFault('key-reused', 'the key was used for another request')
      if (before) return { status: before.status, body: before.body }
      const result = await run().catch((fault: unknown) => {
        if (fault instanceof ServiceFault && FINAL.has(fault.status)) return refusedResult(fault)
        throw fault
      })
      const file: KeptFile = { request, ...result }
      await replaceFile(this.pathOf(name), JSON.stringify(file))
      return result
    } finally {
      this.running.delete(name)
    }
  }

  /** Removes what is older than a day. */
  async removeOld(): Promise<void> {
    for (const name of await readdir(this.folder))
      if (await isOld(join(this.folder, name))) await rm(join(this.folder, name), { force: true })
  }

  private async read(name: string): Promise<KeptFile | undefined> {
    const path = this.pathOf(name)
    if (await isOld(path)) return undefined
    const text = await readFile(path, 'utf8').catch(() => undefined)
    return text === undefined ? undefined : (JSON.parse(text) as KeptFile)
  }

  private pathOf(name: string): string {
    return join(this.folder, `${name}.json`)
  }
}

async function isOld(path: string): Promise<boolean> {
  const stats = await stat(path).catch(() => undefined)
  return stats === undefined || Date.now() - stats.mtimeMs > KEPT_HOURS * 3_600_000
}
