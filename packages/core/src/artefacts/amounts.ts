import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'

/**
 * A number as people write large ones: `500k`, `2m`, `1.5m`, `20,000`. Undefined where it is none.
 *
 * @example readAmount('1.5m') // => 1500000
 */
export function readAmount(text: string): number | undefined {
  const [, digits = '', unit = ''] = /^\s*(\d[\d,_]*(?:\.\d+)?)\s*([km]?)\s*$/i.exec(text) ?? []
  if (digits === '') return undefined
  const number = Number(digits.replace(/[,_]/g, '')) * { '': 1, k: 1000, m: 1_000_000 }[unit.toLowerCase() as '' | 'k' | 'm']
  return Number.isFinite(number) && number >= 1 ? Math.round(number) : undefined
}

/** budget = amount [ "tokens" ] */
export function readTokens(node: YamlNode | undefined, report: Report): number | undefined {
  if (!node) return undefined
  const words = node.string ?? ''
  const amount = readAmount(words.replace(/\s*tokens?\s*$/, ''))
  if (amount === undefined)
    report(
      problem('key-invalid', { key: 'budget', expected: 'tokens, as in 600 tokens or 2k tokens', found: JSON.stringify(words) }, node.span),
    )
  return amount
}
