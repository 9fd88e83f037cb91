import { createHmac } from 'node:crypto'
import { ProblemError } from 'dunelight'
import { canonical, problem } from 'dunelight/host'
import { secrets } from '../output/secrets.js'

/** The environment variable with the key of the audit. */
const VARIABLE = 'DUNELIGHT_AUDIT_KEY'
const LEAST = 16

/** The key that values and checkpoints of an audit are marked with. It stands in no file. */
export class AuditKey {
  private constructor(private readonly key: string) {}

  /**
   * @throws ProblemError if the environment has none.
   */
  static fromEnvironment(): AuditKey {
    const key = process.env[VARIABLE] ?? ''
    if (key.length < LEAST) throw new ProblemError([problem('audit-key-missing', { variable: VARIABLE, least: LEAST })])
    secrets.add(key)
    return new AuditKey(key)
  }

  /** Marks data for one purpose: a mark for one is none for another. */
  mark(purpose: 'values' | 'checkpoint', data: unknown): string {
    return `hmac-sha256:${createHmac('sha256', this.key)
      .update(`dunelight-${purpose}-1\n${canonical(withoutBytes(data))}`)
      .digest('hex')}`
  }
}

/** Documents among values are marked by their bytes as text: JSON has none. */
function withoutBytes(value: unknown): unknown {
  if (value instanceof Uint8Array) return Buffer.from(value).toString('base64')
  if (Array.isArray(value)) return value.map(withoutBytes)
  if (typeof value !== 'object' || value === null || value instanceof Date) return value
  return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, withoutBytes(item)]))
}
