import { defined } from '../invariant.js'
/** The known name most likely meant: the nearest by edits (a swap of neighbours counts once), if near enough to be a slip. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  const wanted = name.toLowerCase()
  let best: string | undefined
  // A name of one letter is never a slip of another.
  let least = Math.min(Math.max(1, Math.floor(name.length / 3)) + 1, name.length)
  for (const candidate of known) {
    const distance = candidate.toLowerCase() === wanted ? 0 : edits(wanted, candidate.toLowerCase(), least)
    if (distance < least) {
      least = distance
      best = candidate
    }
  }
  return best
}

/** Edit distance with swaps of neighbours; gives `limit` as soon as it cannot be less. */
function edits(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) >= limit) return limit
  let before: number[] = []
  let last = Array.from({ length: b.length + 1 }, (_, j) => j)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1
      let cost = Math.min(defined(last[j]) + 1, defined(row[j - 1]) + 1, defined(last[j - 1]) + same)
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) cost = Math.min(cost, defined(before[j - 2]) + 1)
      row.push(cost)
    }
    if (Math.min(...row) >= limit) return limit
    before = last
    last = row
  }
  return defined(last[b.length])
}

/** `did you mean "fields"?` for `one of fields, rows`. */
export function nearestOf(expected: string, found: string): string | undefined {
  const options = /^one of (.+)$/.exec(expected)?.[1]?.split(', ') ?? []
  const near = nearest(found.replace(/^"|"$/g, ''), options)
  return near === undefined ? undefined : `did you mean "${near}"?`
}

/** Names that a message shows. */
const MOST_NAMES = 3
/** A distance that no names have. */
const LONGEST = 1000

/** `did you mean "title"?`, or the known names where none is near. */
export function suggestion(name: string, known: readonly string[], what = 'known'): string | undefined {
  const near = nearest(name, known)
  if (near !== undefined) return `did you mean "${near}"?`
  if (known.length === 0) return undefined
  const likeliest = [...known].map((item) => ({ item, distance: edits(name.toLowerCase(), item.toLowerCase(), LONGEST) }))
  likeliest.sort((a, b) => a.distance - b.distance)
  const shown = likeliest.slice(0, MOST_NAMES).map(({ item }) => item)
  return `${what}: ${shown.join(', ')}${known.length > MOST_NAMES ? ` and ${known.length - MOST_NAMES} more` : ''}`
}
