import { open, type FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { problem, problemRecord, type ProblemRecord } from 'dunelight'
import { append, replaceFile, writeNew } from '../output/files.js'
import type { Aside, Block } from './block.js'
import type { Checkpoint } from './run-file.js'
import { Names } from './names.js'
import { safePath } from './safe-path.js'
import { hashFingerprint, hashName, Seen } from './seen.js'
import { countAside, countRendered, countSame, newTally, type TallyState } from './tally.js'

/** Equal prompts are looked for among so many records: their fingerprints are held in memory. */
export const MOST_COMPARED = 1_000_000
/** How often it is written down how far a run has come. */
const EVERY = 200

export interface LedgerOptions {
  readonly folder: string
  /** The output's file in the folder, or the folder of a file for each record. */
  readonly output: string
  readonly perRecord: boolean
  /** The part of each record's path that all have in common. */
  readonly base: string
  /** What stands above all records. */
  readonly head: Uint8Array
  readonly take: number
  /** Gets all that is written, too: standard output. */
  readonly also?: (bytes: Uint8Array) => Promise<void>
  readonly onAside?: (aside: Aside) => void
}

/**
 * Writes what was rendered, in order, and keeps the books: counts, names that came before, prompts that came before, and at short intervals how
 * far all files are whole. What stands behind the last such note is cut off when the run is carried on.
 */
export class Ledger {
  readonly tally: TallyState
  private records = 0
  private readonly names = new Names()
  private readonly paths = new Seen(false)
  private readonly prompts = new Seen(true)
  private readonly before: number
  /** The lines under way. */
  private pending: Promise<void> = Promise.resolve()
  private last = performance.now()
  private readonly started = performance.now()
  private sizes: { output: number; aside: number; seen: number }

  private constructor(
    private readonly options: LedgerOptions,
    private readonly files: { readonly output: FileHandle | undefined; readonly aside: FileHandle; readonly seen: FileHandle },
    private readonly from: Checkpoint | undefined,
  ) {
    this.tally = from?.tally ?? newTally()
    this.before = from?.records ?? 0
    this.sizes = { output: from?.output ?? 0, aside: from?.aside ?? 0, seen: from?.seen ?? 0 }
  }

  /** Opens the files of a run, cut off behind what is known to be whole. */
  static async open(options: LedgerOptions, from: Checkpoint | undefined): Promise<Ledger> {
    const cut = async (name: string, length: number) => {
      const file = await open(join(options.folder, name), 'a+')
      // Not cut where there is nothing behind: some disks write all of a file that was ever cut when it is closed, and have it waited for.
      if ((await file.stat()).size > length) await file.truncate(length)
      return file
    }
    const output = options.perRecord ? undefined : await cut(options.output, from?.output ?? 0)
    const aside = await cut(ASIDE_FILE, from?.aside ?? 0)
    const seen = await cut(SEEN_FILE, from?.seen ?? 0)
    const ledger = new Ledger(options, { output, aside, seen }, from)
    await ledger.recall(from?.seen ?? 0)
    if (!from) await ledger.writeAll([options.head])
    return ledger
  }

  /** How many records were written before this run was carried on. */
  get skip(): number {
    return this.before
  }

  get seconds(): number {
    return (this.from?.seconds ?? 0) + (performance.now() - this.started) / 1000
  }

  /** Whether as many records have been rendered as were asked for. */
  get full(): boolean {
    return this.tally.rendered >= this.options.take
  }

  /** Writes a block: its lines are under way when this is done, and the next block is rendered meanwhile. */
  async take(block: Block): Promise<void> {
    const { folder, output, onAside, perRecord } = this.options
    const kept: Uint8Array[] = []
    const asides: string[] = []
    const prints: number[] = []
    const files: (() => Promise<void>)[] = []
    const reasons = new Map(block.asides.map((one) => [one.at, one]))
    let start = 0
    let from = 0
    for (let i = 0; i < block.ids.length && !this.full; i++) {
      const [id, row] = [block.ids[i]!, block.rows[i]!]
      const end = start + Math.max(block.lengths[i]!, 0)
      const again = ++this.records <= this.before
      const unfit = reasons.get(i) ?? this.refused(block, i)
      const path = perRecord && !unfit ? this.pathOf(block.paths![i]!) : undefined
      const fault = unfit ?? (typeof path === 'object' ? path : undefined)
      if (again || fault || perRecord) {
        if (from < start) kept.push(block.bytes.subarray(from, start))
        from = end
      }
      if (!again) {
        if (fault) {
          const { problems } = fault
          const raw = 'raw' in fault ? fault.raw : ((await block.raw(i)) ?? null)
          countAside(this.tally, id, row, problems)
          asides.push(`${JSON.stringify({ row, record: id, problems, raw })}\n`)
          onAside?.({ row, id, problems, raw })
        } else {
          countRendered(this.tally, id, row, block.sizes[i]!, block.tokens?.[i])
          if (block.fingerprints) this.compare(block.fingerprints[i]!, id, row, prints)
          if (typeof path === 'string') {
            const bytes = block.bytes.slice(start, end)
            files.push(() => writeNew(join(folder, output, path), bytes))
          }
        }
      }
      start = end
    }
    if (from < start) kept.push(block.bytes.subarray(from, start))
    for (let i = 0; i < files.length; i += AT_ONCE) await Promise.all(files.slice(i, i + AT_ONCE).map((write) => write()))
    await this.pending
    this.pending = this.writeAll(kept)
    // Heard of with the next block, or at the end.
    this.pending.catch(() => undefined)
    if (asides.length > 0) this.sizes.aside += await append(this.files.aside, asides.join(''), ASIDE_FILE)
    if (prints.length > 0) this.sizes.seen += await append(this.files.seen, new Uint8Array(Uint32Array.from(prints).buffer), SEEN_FILE)
    if (performance.now() - this.last > EVERY) await this.note(false)
  }

  /** Writes down how far the run has come. */
  async note(written: boolean): Promise<void> {
    await this.pending
    const { output, aside, seen } = this.sizes
    const { tally, seconds } = this
    const point: Checkpoint = { records: Math.max(this.records, this.before), output, aside, seen, tally, seconds, written }
    // Not waited for: what stands in the output behind an older note is cut off.
    await replaceFile(join(this.options.folder, CHECKPOINT_FILE), JSON.stringify(point), { durable: false })
    this.last = performance.now()
  }

  async close(): Promise<void> {
    await this.pending.catch(() => undefined)
    for (const file of [this.files.output, this.files.aside, this.files.seen]) await file?.close()
  }

  /** A record whose name came before. Rows without a name of their own are told apart by their number. */
  private refused({ named, ids }: Block, i: number): Refused | undefined {
    if (named[i] === 0) return undefined
    if (!this.names.add(ids[i]!)) return undefined
    return { problems: [problemRecord(problem('record-named-twice', { name: ids[i]! }))] }
  }

  /** Where a record's file goes in the output's folder, or why it cannot go there. */
  private pathOf(path: string): string | Refused {
    const safe = safePath(path, this.options.base)
    if (safe === undefined) return { problems: [problemRecord(problem('record-path-unfit', { path }))] }
    // Some disks take two names that differ in case for one.
    const [high, low] = hashName(safe.normalize('NFC').toLowerCase())
    if (this.paths.add(high, low, 0) === undefined) return safe
    return { problems: [problemRecord(problem('record-path-twice', { path: safe }))] }
  }

  private compare(fingerprint: string, id: string, row: number, prints: number[]): void {
    if (this.prompts.size >= MOST_COMPARED) return
    const [high, low] = hashFingerprint(fingerprint)
    const first = this.prompts.add(high, low, row)
    if (first === undefined) prints.push(high, low, row)
    else countSame(this.tally, id, row, first)
  }

  /** The prompts that were written before. */
  private async recall(bytes: number): Promise<void> {
    if (bytes === 0) return
    const { buffer } = await this.files.seen.read(new Uint8Array(bytes), 0, bytes, 0)
    const all = new Uint32Array(buffer.buffer)
    for (let i = 0; i < all.length; i += 3) this.prompts.add(all[i]!, all[i + 1]!, all[i + 2]!)
  }

  private async writeAll(all: readonly Uint8Array[]): Promise<void> {
    for (const bytes of all) {
      if (bytes.length === 0) continue
      if (this.files.output) this.sizes.output += await append(this.files.output, bytes, this.options.output)
      await this.options.also?.(bytes)
    }
  }
}

export const ASIDE_FILE = 'set-aside.jsonl'
export const CHECKPOINT_FILE = 'checkpoint.json'
export const SEEN_FILE = 'seen.bin'
/** So many files are written at a time. */
const AT_ONCE = 32

/** A record that was rendered, and is set aside all the same. */
interface Refused {
  readonly problems: readonly ProblemRecord[]
}
