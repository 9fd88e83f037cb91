/** A label as its file explains it: what it means, and which labels it goes before where both fit. */
export interface Label {
  readonly name: string
  readonly about?: string
  readonly over: readonly string[]
}

/** What an instruction or a description adds to a label: `the crack grows; chosen over treat if both fit`. */
export function labelInWords({ about, over }: Label): string {
  const rank = over.length === 0 ? '' : `chosen over ${over.join(', ')} if both fit`
  return [about?.trim() ?? '', rank].filter((part) => part !== '').join('; ')
}

/** The explained labels in words: `urgent: the crack grows; watch: ...`. */
export function labelsInWords(labels: readonly Label[]): string {
  return labels
    .map((label) => [label.name, labelInWords(label)])
    .flatMap(([name, words]) => (words === '' ? [] : [`${name}: ${words}`]))
    .join('. ')
}

/** The one of several labels that ranks over all others of them, or undefined. */
export function highestLabel(names: readonly string[], labels: readonly Label[]): string | undefined {
  return names.find((name) => names.every((other) => other === name || isOver(name, other, labels)))
}

/** Whether a label ranks over another, by way of others too. */
export function isOver(name: string, other: string, labels: readonly Label[]): boolean {
  const met = new Set([name])
  for (const below of met) for (const label of labels) if (label.name === below) for (const next of label.over) met.add(next)
  return name !== other && met.has(other)
}
