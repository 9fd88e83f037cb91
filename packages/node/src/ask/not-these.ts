import type { Turn } from 'dunelight'
import { defuseText } from 'dunelight/host'

/** Earlier items that are handed on: the latest ones, within this many characters. */
const MOST_CHARACTERS = 8_000
const TAG = 'already'

/** A turn that lists the items that are there, so that none of them is given again. They come from a model, so they are fenced. */
export function notThese(items: readonly string[]): readonly Turn[] {
  let left = MOST_CHARACTERS
  const latest: string[] = []
  for (const item of items.toReversed()) {
    const line = item.replace(/\s+/g, ' ').trim()
    left -= line.length + 3
    if (left < 0) break
    latest.unshift(`- ${line}`)
  }
  if (latest.length === 0) return []
  const list = defuseText(latest.join('\n'), [TAG])
  const text = `These are there already. Give none of them again, and nothing that is nearly the same:\n<${TAG}>\n${list}\n</${TAG}>`
  return [{ role: 'user', text }]
}
