import type { Block } from './block.js'
import { countRejected, type Counts } from './counts.js'
import { rejectedLine, type RejectedRow } from './rejected.js'
import type { Selection } from './selection.js'
import { Interrupted, type Step } from './step.js'

/** How far a run has come. */
export interface Point {
  /** Records of the table that are done. */
  readonly records: number
  readonly counts: Counts
  readonly seconds: number
}

/** Where a run writes: the files of its folder, or streams. */
export interface Destination {
  /** What was done before the run was interrupted. */
  readonly before?: Pick<Point, 'seconds'> | undefined
  /** Called before the first block, with the headings of the table. */
  readonly begin: (headings: readonly string[]) => Promise<void>
  /** Adds to the output. The bytes may change once the next call but one has begun. */
  readonly write: (pieces: readonly Uint8Array[]) => Promise<void>
  /** Writes the file of one record; undefined if all records go to one file. */
  readonly writeFile?: ((path: string, bytes: Uint8Array) => Promise<void>) | undefined
  /** Adds a rejected record. */
  readonly reject: (lines: string) => Promise<void>
  /** Adds to another file. */
  readonly add: (file: string, content: string | Uint8Array) => Promise<void>
  /** Called after each block. */
  readonly reached: (point: Point) => Promise<void>
}

/** How far a run has come. */
export interface RunProgress {
  /** How much of the table is done, from 0 to 1; undefined if its size is not known. */
  readonly share: number | undefined
  /** Records that are done. */
  readonly records: number
  readonly counts: Counts
  readonly seconds: number
}

/** Events of a run in progress. */
export interface RunListener {
  /** Hears the run's name as soon as it has a folder. */
  readonly onBegun?: (run: string) => void
  readonly onRejected?: (row: RejectedRow) => void
  readonly onProgress?: (progress: RunProgress) => void
  /** Ends the run between two records, to be continued later. */
  readonly signal?: AbortSignal
}

/** All that the engine needs. */
export interface RunSetting extends RunListener {
  readonly step: Step
  readonly selection: Selection
  readonly to: Destination
  /** The size of the table in bytes, if it is known. */
  readonly bytes?: number | undefined
}

/** Files written at the same time. */
const AT_ONCE = 32

/**
 * Runs a step for every selected record, and writes the results in order: the one loop of rendering, asking and reading replies.
 *
 * @returns whether it came to the end; else it was interrupted, and what is written is whole
 */
export async function work({ step, selection, to, bytes = 0, onRejected, onProgress, signal }: RunSetting): Promise<boolean> {
  const started = performance.now()
  if (signal?.aborted) return false
  const { counts } = step
  let begun = false
  const begin = async (headings: readonly string[]) => {
    if (!begun) await to.begin(headings)
    begun = true
  }
  try {
    for await (const block of step.blocks(selection)) {
      await begin(block.headings)
      await writeBlock(block, step, to, onRejected)
      const point = { records: block.through, counts, seconds: (to.before?.seconds ?? 0) + (performance.now() - started) / 1000 }
      await to.reached(point)
      onProgress?.({ ...point, share: bytes > 0 ? Math.min(1, block.bytesRead / bytes) : undefined })
      if (signal?.aborted) return false
    }
  } catch (fault) {
    if (!(fault instanceof Interrupted)) throw fault
    return false
  }
  await begin([])
  selection.end()
  return true
}

async function writeBlock(block: Block, step: Step, to: Destination, onRejected: RunListener['onRejected']): Promise<void> {
  const { counts, onWritten } = step
  const { writeFile } = to
  const written: number[] = []
  const rejected: RejectedRow[] = []
  const pieces: Uint8Array[] = []
  const files: { readonly path: string; readonly bytes: Uint8Array }[] = []
  // Neighbours are written as one piece.
  let [from, end] = [0, 0]
  block.lengths.forEach((length, place) => {
    const start = end
    end += length
    if (!block.skipped?.has(place)) {
      const row = block.rejected.get(place)
      if (row) rejected.push(row)
      else {
        written.push(place)
        if (!writeFile) return
        files.push({ path: block.paths[place] ?? '', bytes: block.bytes.slice(start, end) })
      }
    }
    if (from < start) pieces.push(block.bytes.subarray(from, start))
    from = end
  })
  if (from < end) pieces.push(block.bytes.subarray(from, end))
  counts.written += written.length
  for (const row of rejected) {
    countRejected(counts, row)
    onRejected?.(row)
  }
  for (const onTurn of block.onTurn) onTurn()
  const beside = [...block.beside, ...(onWritten?.(block, written) ?? [])]
  for (let i = 0; writeFile && i < files.length; i += AT_ONCE)
    await Promise.all(files.slice(i, i + AT_ONCE).map(({ path, bytes }) => writeFile(path, bytes)))
  await to.write(pieces)
  if (rejected.length > 0) await to.reject(rejected.map(rejectedLine).join(''))
  for (const [file, content] of joined(beside)) await to.add(file, content)
}

/** What goes to the same file, joined. */
function joined(beside: readonly (readonly [string, string | Uint8Array])[]): [string, string | Uint8Array][] {
  const texts = new Map<string, string>()
  const bytes: [string, Uint8Array][] = []
  for (const [file, content] of beside) {
    if (typeof content === 'string') texts.set(file, (texts.get(file) ?? '') + content)
    else bytes.push([file, content])
  }
  return [...texts, ...bytes]
}
