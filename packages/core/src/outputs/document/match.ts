import { defined } from '../../invariant.js'
import { foldSpaces, foldText } from '../fold.js'
import type { Extent } from '../json/loose.js'
import { amountsIn } from '../passages.js'
import type { PassageSegment, TextSegment } from '../shape.js'

/** A run of text that is there already, and the passage behind it; the last run has none. */
export interface Part {
  readonly fixed: string
  readonly passage: PassageSegment | undefined
}

/** How a run of fixed text came back. */
export type Found =
  | { readonly how: 'exact' | 'folded'; readonly extent: Extent }
  | { readonly how: 'changed'; readonly extent: Extent; readonly difference: string }
  | { readonly how: 'missing' }
  /** Only spaces: they separate two passages, or are at an end. */
  | { readonly how: 'blank'; readonly extent: Extent | undefined }

export function partsOf(segments: readonly TextSegment[]): Part[] {
  const parts: Part[] = []
  let fixed = ''
  for (const segment of segments) {
    if (segment.kind !== 'passage') {
      fixed += segment.text
      continue
    }
    parts.push({ fixed, passage: segment })
    fixed = ''
  }
  return [...parts, { fixed, passage: undefined }]
}

/** More words than this against each other are not compared. */
const MOST_COMPARED = 4_000_000

/**
 * Finds each run of fixed text in a reply: character for character, then with case, spaces and look-alikes folded, then as words of which some were
 * changed. What was found bounds where the rest is looked for.
 */
export function findFixed(parts: readonly Part[], reply: string): Found[] {
  let folded: ReturnType<typeof foldSpaces> | undefined
  const matches: (Found | undefined)[] = parts.map(() => undefined)
  let from = 0
  parts.forEach(({ fixed }, i) => {
    const core = fixed.trim()
    if (core === '') return
    const last = i === parts.length - 1
    // Before the first passage there may be nothing; after a passage there is at least one character.
    const start = i === 0 ? 0 : from + 1
    const position = last
      ? reply.trimEnd().endsWith(core)
        ? reply.trimEnd().length - core.length
        : reply.lastIndexOf(core)
      : reply.indexOf(core, start)
    const extent =
      position >= Math.min(start, reply.length) && position >= from ? { start: position, end: position + core.length } : undefined
    const loose = extent ? undefined : findFolded((folded ??= foldSpaces(reply)), core, from, last)
    const place = extent ?? loose
    if (!place) return
    matches[i] = { how: extent ? 'exact' : 'folded', extent: place }
    from = place.end
  })
  return parts.map((part, i) => matches[i] ?? findRest(parts, i, matches, reply))
}

function findFolded({ text, places }: ReturnType<typeof foldSpaces>, core: string, from: number, last: boolean): Extent | undefined {
  const wanted = foldText(core)
  const start = lowerBound(places, from)
  const position = last ? text.lastIndexOf(wanted) : text.indexOf(wanted, start)
  if (position < start) return undefined
  return { start: defined(places[position]), end: defined(places[position + wanted.length - 1]) + 1 }
}

function lowerBound(places: readonly number[], wanted: number): number {
  let low = 0
  let high = places.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (defined(places[middle]) < wanted) low = middle + 1
    else high = middle
  }
  return low
}

/** A run that was not found as it is: between its neighbours that were. */
function findRest(parts: readonly Part[], index: number, matches: (Found | undefined)[], reply: string): Found {
  const extents = matches.map((item) => (item && 'extent' in item ? item.extent : undefined))
  const start = extents.slice(0, index).findLast((extent) => extent)?.end ?? 0
  const end = extents.slice(index + 1).find((extent) => extent)?.start ?? reply.length
  const core = defined(parts[index]).fixed.trim()
  if (core === '') {
    const extent = emptyLinesBetween(parts, index, reply, start, end)
    const blank: Found = { how: 'blank', extent }
    matches[index] = blank
    return blank
  }
  const near = nearestWords(core, reply, start, end)
  const rest: Found = near ? { how: 'changed', ...near } : { how: 'missing' }
  matches[index] = rest
  return rest
}

/** Empty lines between two passages: as many paragraphs in as the passage before them has. */
function emptyLinesBetween(parts: readonly Part[], index: number, reply: string, start: number, end: number): Extent | undefined {
  if (index === 0) return { start: 0, end: 0 }
  if (index === parts.length - 1) return { start: end, end }
  const wanted = defined(parts[index]).fixed.includes('\n\n') ? /\n[ \t]*\n\s*/g : /\n\s*/g
  const before = defined(parts[index - 1]).passage
  const paragraphs = amountsIn(before?.guidance ?? '').find((amount) => amount.unit === 'paragraph')?.min ?? 1
  const text = reply.slice(start, end).trimEnd()
  wanted.lastIndex = text.length - text.trimStart().length
  for (let i = 1, cut = wanted.exec(text); cut; i++, cut = wanted.exec(text))
    if (i >= Math.max(paragraphs, 1)) return { start: start + cut.index, end: start + cut.index + cut[0].length }
  return undefined
}

interface Word {
  readonly folded: string
  readonly start: number
  readonly end: number
}

function wordsOf(text: string, offset: number): Word[] {
  return [...text.matchAll(/\S+/g)].map((match) => ({
    folded: foldText(match[0]),
    start: offset + match.index,
    end: offset + match.index + match[0].length,
  }))
}

/**
 * The span of the reply whose words are nearest to the wanted ones by edits, if at most half of them differ (Sellers 1980: an edit distance
 * that may begin and end anywhere). The difference is written out of the way that led there.
 */
function nearestWords(core: string, reply: string, start: number, end: number): { extent: Extent; difference: string } | undefined {
  const wanted = wordsOf(core, 0)
  const words = wordsOf(reply.slice(start, end), start)
  if (wanted.length === 0 || words.length === 0 || wanted.length * words.length > MOST_COMPARED) return undefined
  const width = words.length + 1
  const costs = new Uint16Array((wanted.length + 1) * width)
  for (let i = 1; i <= wanted.length; i++) {
    costs[i * width] = i
    for (let j = 1; j < width; j++) {
      const same = defined(wanted[i - 1]).folded === defined(words[j - 1]).folded ? 0 : 1
      costs[i * width + j] = Math.min(
        defined(costs[(i - 1) * width + j - 1]) + same,
        defined(costs[(i - 1) * width + j]) + 1,
        defined(costs[i * width + j - 1]) + 1,
      )
    }
  }
  let best = 0
  for (let j = 0; j < width; j++) if (defined(costs[wanted.length * width + j]) < defined(costs[wanted.length * width + best])) best = j
  if (defined(costs[wanted.length * width + best]) > wanted.length / 2) return undefined
  const shown: string[] = []
  let j = best
  for (let i = wanted.length; i > 0;) {
    const cost = defined(costs[i * width + j])
    const same = j > 0 && defined(wanted[i - 1]).folded === defined(words[j - 1]).folded
    const asked = core.slice(defined(wanted[i - 1]).start, defined(wanted[i - 1]).end)
    const came = j > 0 ? reply.slice(defined(words[j - 1]).start, defined(words[j - 1]).end) : ''
    if (same && cost === defined(costs[(i - 1) * width + j - 1])) {
      shown.push(came)
      i--
      j--
    } else if (j > 0 && cost === defined(costs[(i - 1) * width + j - 1]) + 1) {
      shown.push(`[-${asked}-] {+${came}+}`)
      i--
      j--
    } else if (cost === defined(costs[(i - 1) * width + j]) + 1) {
      shown.push(`[-${asked}-]`)
      i--
    } else {
      shown.push(`{+${came}+}`)
      j--
    }
  }
  if (j === best) return undefined
  return { extent: { start: defined(words[j]).start, end: defined(words[best - 1]).end }, difference: shortened(shown.reverse()) }
}

/** The words around the changes; what stayed between them is left out. */
function shortened(words: readonly string[]): string {
  const changed = words.map((word) => /^(?:\[-|\{\+)/.test(word))
  const near = words.map((_, i) => changed.slice(Math.max(0, i - 3), i + 4).includes(true))
  const shown = words.flatMap((word, i) => (near[i] ? [word] : near[i - 1] || (i === 0 && near.includes(true)) ? ['…'] : []))
  // Words taken away, or put in, side by side are one change.
  return shown.join(' ').replaceAll('-] [-', ' ').replaceAll('+} {+', ' ')
}
