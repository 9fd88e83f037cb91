import { kindWords, Keys, textsOf, type KeyKind } from './keys.js'
import { problem, type Report } from '../problems/problem.js'
import type { YamlNode } from '../source/yaml.js'
import { isOver, type Label } from '../values/labels.js'

/** The keys of a label that is explained. */
export const LABEL_KEYS = { about: 'text', over: 'any' } satisfies Record<string, KeyKind>

export interface Labels {
  readonly of: readonly string[]
  /** Set if any label is explained. */
  readonly labels?: readonly Label[]
}

/** of: [sound, watch], or of: { urgent: { about: the crack grows, over: treat }, treat: needs a repair } */
export function readLabels(node: YamlNode, report: Report): Labels {
  if (node.kind === 'map') return explained(node, report)
  if (node.kind === 'list') return { of: textsOf(node, 'of', report) }
  report(problem('key-invalid', { key: 'of', expected: 'a list, or labels with their meanings', found: kindWords(node) }, node.span))
  return { of: [] }
}

function explained(node: YamlNode, report: Report): Labels {
  const entries = node.entries()
  const of = entries.map(({ key }) => key)
  const labels: Label[] = []
  for (const { key: name, value } of entries) {
    if (value.kind === 'empty') labels.push({ name, over: [] })
    else if (value.string !== undefined) labels.push({ name, about: value.string, over: [] })
    else {
      const keys = new Keys(value, `the label "${name}"`, LABEL_KEYS, report)
      const about = keys.text('about')
      labels.push({ name, ...(about !== undefined && { about }), over: ranksOf(keys.get('over'), name, of, labels, report) })
    }
  }
  return { of, labels }
}

function ranksOf(node: YamlNode | undefined, name: string, of: readonly string[], before: readonly Label[], report: Report): string[] {
  if (!node) return []
  const over = node.string === undefined ? textsOf(node, 'over', report) : [node.string]
  return over.filter((other) => {
    const expected =
      !of.includes(other) || other === name
        ? `another label (${of.join(', ')})`
        : isOver(other, name, before)
          ? `a label that does not rank over "${name}"`
          : undefined
    if (expected !== undefined) report(problem('key-invalid', { key: 'over', expected, found: JSON.stringify(other) }, node.span))
    return expected === undefined
  })
}
