import { newCounts, type Counts } from '../runs/counts.js'

/** A record among the longest or shortest. */
export interface Extreme {
  readonly id: string
  readonly row: number
  readonly size: number
}

/** What a run that renders counts. */
export interface RenderCounts extends Counts {
  bytes: number
  tokens: number
  /** Counts of sizes by steps of a thirty-second of a doubling: of tokens where they are counted, else of bytes. */
  sizes: Record<string, number>
  longest: Extreme[]
  shortest: Extreme[]
  same: { count: number; examples: { readonly id: string; readonly row: number; readonly first: number }[] }
}

export function newRenderCounts(): RenderCounts {
  return {
    ...newCounts(),
    bytes: 0,
    tokens: 0,
    sizes: {},
    longest: [],
    shortest: [],
    same: { count: 0, examples: [] },
  }
}

const EXTREMES = 5
const STEPS = 32

export function countWritten(counts: RenderCounts, id: string, row: number, bytes: number, tokens: number | undefined): void {
  const size = tokens ?? bytes
  counts.bytes += bytes
  counts.tokens += tokens ?? 0
  const step = stepOf(size)
  counts.sizes[step] = (counts.sizes[step] ?? 0) + 1
  insert(counts.longest, { id, row, size }, (a, b) => b.size - a.size)
  insert(counts.shortest, { id, row, size }, (a, b) => a.size - b.size)
}

export function countSame(counts: RenderCounts, id: string, row: number, first: number): void {
  counts.same.count++
  if (counts.same.examples.length < EXTREMES) counts.same.examples.push({ id, row, first })
}

function stepOf(size: number): number {
  return Math.floor(Math.log2(Math.max(size, 1)) * STEPS)
}

/** Keeps the first few by an order; of equals those that came first. */
function insert(list: Extreme[], extreme: Extreme, order: (a: Extreme, b: Extreme) => number): void {
  const last = list.at(-1)
  if (list.length === EXTREMES && last && order(extreme, last) >= 0) return
  const position = list.findIndex((other) => order(extreme, other) < 0)
  list.splice(position < 0 ? list.length : position, 0, extreme)
  if (list.length > EXTREMES) list.pop()
}

export interface Bar {
  readonly from: number
  readonly to: number
  readonly count: number
}

/** The sizes in a dozen bars at most, from the smallest to the largest. */
export function barsOf({ sizes }: RenderCounts): readonly Bar[] {
  const steps = Object.entries(sizes).map(([step, count]) => [Number(step), count] as const)
  if (steps.length === 0) return []
  const first = Math.min(...steps.map(([step]) => step))
  const last = Math.max(...steps.map(([step]) => step))
  const wide = Math.max(1, Math.ceil((last - first + 1) / 12))
  const bars: Bar[] = []
  for (let position = first; position <= last; position += wide) {
    const count = steps.reduce((sum, [step, number]) => (step >= position && step < position + wide ? sum + number : sum), 0)
    bars.push({ from: Math.ceil(2 ** (position / STEPS)), to: Math.ceil(2 ** ((position + wide) / STEPS)) - 1, count })
  }
  return bars
}
