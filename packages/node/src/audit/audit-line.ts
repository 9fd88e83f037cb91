import { createHash } from 'node:crypto'

/** The folder of a library's audit: below it a folder for each day, with a file for each writer. */
export const AUDIT = 'audit'

/** A line of the audit. Its hash is that of its text; each line has the hash of the one before it, so none can be changed, moved or removed. */
export interface AuditLine {
  /** Counts the lines of its writer, from 1. */
  readonly seq: number
  /** The hash of the line before; null for a writer's first. */
  readonly previous: string | null
  readonly time: string
  /** The time of the line before, where the clock went back. */
  readonly clock?: string
  readonly caller: string
  readonly operation: AuditOperation
  readonly prompt?: string
  /** `label/write@7`, `label/write@git:…`; absent for the working files. */
  readonly at?: string
  /** The digest of the edition. */
  readonly edition?: string
  readonly fingerprint?: string
  /** The HMAC of the values: equal values have equal ones, and nothing else can be learnt of them. */
  readonly values?: string
  readonly model?: string
  readonly requests?: number
  readonly sent?: number
  readonly received?: number
  /** Whether nothing was sent since the answer was known. */
  readonly cached?: boolean
  /** What screens found. */
  readonly findings?: readonly string[]
  /** The codes of the problems that keep the reply from being used. */
  readonly problems?: readonly string[]
  readonly run?: string
  readonly status?: AuditStatus
  /** The digest of the file with what was sent and what came back. */
  readonly stored?: string
  /** The digest of a line that was not written to its end, before this one. */
  readonly torn?: string
}

/** `run`: a run begins or ends. `torn`: the process before ended while it was writing a line. */
export type AuditOperation = 'ask' | 'render' | 'run' | 'torn'
/** `rejected`: the reply cannot be used, or nothing was sent. `failed`: the model did not answer. The others are states of runs. */
export type AuditStatus = 'done' | 'rejected' | 'failed' | 'begun' | 'waiting' | 'interrupted'

/** The hash of a line's text, without its line break. */
export function lineHash(text: string | Uint8Array): string {
  return `sha256:${createHash('sha256').update(text).digest('hex')}`
}

/** A line as data; undefined for a text that is none. */
export function readAuditLine(text: string): AuditLine | undefined {
  try {
    const data = JSON.parse(text) as Partial<AuditLine> | null
    const isLine =
      typeof data === 'object' &&
      data !== null &&
      Number.isSafeInteger(data.seq) &&
      (data.previous === null || typeof data.previous === 'string') &&
      typeof data.time === 'string' &&
      typeof data.operation === 'string'
    return isLine ? (data as AuditLine) : undefined
  } catch {
    return undefined
  }
}
