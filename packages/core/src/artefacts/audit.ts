import { Keys } from './keys.js'
import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'

export const AUDIT_KEYS = { checkpoints: 'text', 'store-values': 'boolean', retention: 'integer' } as const

/** `audit:` of dunelight.yaml. */
export interface AuditModel {
  /** Where checkpoints go: a file, or an address. It should lie where those who write the log cannot write. */
  readonly checkpoints: string | undefined
  /** Whether values and replies are stored beside the log. */
  readonly storesValues: boolean
  /** Days after which stored values, replies and cached answers are deleted; undefined keeps them. */
  readonly retention: number | undefined
}

export function readAudit(node: YamlNode | undefined, report: Report): AuditModel | undefined {
  if (!node) return undefined
  const keys = new Keys(node, 'audit', AUDIT_KEYS, report)
  const retention = keys.number('retention')
  if (retention !== undefined && retention < 1)
    report(
      problem(
        'key-invalid',
        { key: 'retention', expected: 'days, a whole number from 1', found: String(retention) },
        keys.keySpan('retention'),
      ),
    )
  return { checkpoints: keys.text('checkpoints'), storesValues: keys.boolean('store-values') ?? false, retention }
}
