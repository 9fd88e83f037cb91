import { Weave } from './format.js'

/** A line per item after its mark; further lines of an item are below its text. */
export function marked(items: readonly string[], mark: (index: number) => string): Weave {
  const parts: string[] = []
  items.forEach((item, i) => {
    const marker = mark(i)
    item.split('\n').forEach((line, n) => {
      const lead = n === 0 ? marker : line === '' ? '' : ' '.repeat(marker.length)
      parts.push((parts.length > 0 ? '\n' : '') + lead, line)
    })
  })
  return new Weave(parts.join(''), () => parts)
}
