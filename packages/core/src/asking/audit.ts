import type { Usage } from './port.js'
import type { ScreenFinding } from './screens.js'
import type { Problem } from '../problems/problem.js'
import type { Turn } from '../render/render.js'

/** One rendering or one reply, as a library tells it to an audit. */
export interface AuditEvent {
  readonly operation: 'render' | 'ask'
  readonly prompt: string
  readonly values: Readonly<Record<string, unknown>>
  /** The fingerprint of the turns; undefined where the prompt could not be rendered. */
  readonly fingerprint: string | undefined
  /** What was sent first, with what was masked left masked. */
  readonly turns: readonly Turn[]
  /** The last reply as it came; undefined where none did. */
  readonly reply: string | undefined
  readonly requests: number
  readonly usage: Usage | undefined
  readonly isMock: boolean
  /** What screens found and let pass. */
  readonly notes: readonly ScreenFinding[]
  /** Why there is no answer that can be used. */
  readonly problems: readonly Problem[]
  /** What the model threw. */
  readonly fault?: unknown
}

/** Hears of every rendering and every reply. An answer is given to its caller only when what this returns is done. */
export type AuditSink = (event: AuditEvent) => void | Promise<void>
