import { mkdir } from 'node:fs/promises'
import { dirname, resolve } from 'node:path'
import type { Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { appendTo } from '../output/files.js'
import { reason } from '../output/reason.js'
import type { AuditKey } from './audit-key.js'

/** How far a writer was at a time: what comes after may be lost without a trace, what came before may not. */
export interface Checkpoint {
  /** The id of the library. */
  readonly library: string
  readonly writer: string
  readonly seq: number
  /** The hash of that line. */
  readonly hash: string
  readonly time: string
}

export interface SignedCheckpoint extends Checkpoint {
  /** Made with the key of the audit, so that who can write the place of the checkpoints cannot invent one. */
  readonly mac: string
}

const TIMEOUT_MS = 10_000

/** Whether checkpoints go to an address. */
function isAddress(to: string): boolean {
  return /^https?:\/\//.test(to)
}

/** Sends checkpoints to the place that the library names: a file, or an address that takes JSON. */
export class CheckpointSender {
  constructor(
    private readonly root: string,
    private readonly to: string,
    private readonly key: AuditKey,
    private readonly notice: (problem: Problem) => void,
  ) {}

  /** A checkpoint that cannot be sent keeps nothing from going on: the next one covers the same lines. */
  async send(checkpoint: Checkpoint): Promise<void> {
    const line = `${JSON.stringify({ ...checkpoint, mac: this.key.mark('checkpoint', checkpoint) })}\n`
    try {
      if (isAddress(this.to)) await post(this.to, line)
      else {
        const path = resolve(this.root, this.to)
        await mkdir(dirname(path), { recursive: true })
        await appendTo(path, line)
      }
    } catch (fault) {
      this.notice(problem('checkpoint-unsent', { to: this.to, why: reason(fault) }))
    }
  }
}

async function post(address: string, body: string): Promise<void> {
  const headers = { 'content-type': 'application/json' }
  const answer = await fetch(address, { method: 'POST', headers, body, signal: AbortSignal.timeout(TIMEOUT_MS) })
  await answer.body?.cancel()
  if (!answer.ok) throw new Error(`it answers with status ${answer.status}`)
}

/** A checkpoint as it was sent; a text says what is wrong with it. */
export function readCheckpoint(text: string, key: AuditKey, library: string | undefined): Checkpoint | string {
  let data: Partial<SignedCheckpoint> | null
  try {
    data = JSON.parse(text) as Partial<SignedCheckpoint> | null
  } catch {
    return 'it is not valid JSON'
  }
  const { library: of, writer, seq, hash, time, mac } = data ?? {}
  if (
    typeof of !== 'string' ||
    typeof writer !== 'string' ||
    typeof seq !== 'number' ||
    typeof hash !== 'string' ||
    typeof time !== 'string'
  )
    return 'it is not a checkpoint'
  const checkpoint = { library: of, writer, seq, hash, time }
  if (mac !== key.mark('checkpoint', checkpoint)) return 'it was not made with the key of this audit'
  return of === library ? checkpoint : 'it is about another library'
}
