import type { Problem } from 'dunelight'
import type { ByteLine } from 'dunelight/bytes'
import type { BatchRecord } from 'dunelight/host'
import type { BufferPool, ReusedBuffer } from './buffer-pool.js'
import type { Beside, Outcome } from './outcome.js'
import { rawOf, rejectedRow, type RejectedRow } from './rejected.js'
import type { Selection } from './selection.js'

/** What came of some records, in their order: plain data but for `raw` and `onTurn`, so that a thread can hand it to another. */
export interface Block {
  /** What is written of all of them. The memory is used again for the next block but one. */
  readonly bytes: Uint8Array
  readonly headings: readonly string[]
  readonly ids: readonly string[]
  readonly rows: readonly number[]
  /** How many of the bytes each record has. */
  readonly lengths: readonly number[]
  /** The length of each prompt in bytes. */
  readonly sizes: readonly number[]
  readonly tokens: readonly (number | undefined)[]
  readonly fingerprints: readonly (string | undefined)[]
  /** The path that each record's file has, if it has its own. */
  readonly paths: readonly (string | undefined)[]
  /** Whether no other record may have its name, for a selection that is made afterwards. */
  readonly named: readonly boolean[]
  /** Those that have no values. */
  readonly unfit: ReadonlySet<number>
  /** Those that nothing is written of, by their places. */
  readonly rejected: ReadonlyMap<number, RejectedRow>
  /** Those that are not wanted, by their places; undefined if all are. */
  readonly skipped?: ReadonlySet<number> | undefined
  readonly beside: readonly Beside[]
  readonly onTurn: readonly (() => void)[]
  /** How many records have been asked for by the end of the block. */
  readonly through: number
  /** How much of the source has been read. */
  readonly bytesRead: number
}

/** A record's place in its table. */
export interface RecordPlace {
  readonly record: BatchRecord
  readonly headings: readonly string[]
  readonly through: number
  readonly bytesRead: number
}

/** Collects the results of records. */
export class BlockBuilder {
  private buffer: ReusedBuffer | undefined
  private block = emptyBlock()
  private headings: readonly string[] = []

  constructor(private readonly buffers: BufferPool) {}

  /** Records that were added since the last block, those that wait too. */
  size = 0

  add({ record, headings, through, bytesRead }: RecordPlace, outcome: Outcome | undefined): void {
    const { block } = this
    block.through = through
    block.bytesRead = bytesRead
    this.headings = headings
    if (!outcome) return
    this.size++
    if (outcome.beside) block.beside.push(...outcome.beside)
    if (outcome.onTurn) block.onTurn.push(outcome.onTurn)
    if ('waiting' in outcome) return
    const { row, id, named, cells, path } = record
    if (!record.prepared) block.unfit.add(block.ids.length)
    if ('text' in outcome) {
      this.buffer ??= this.buffers.next()
      this.buffer.add(outcome.text)
      block.lengths.push(outcome.text.length)
      block.sizes.push(outcome.size ?? 0)
      block.tokens.push(outcome.tokens)
      block.fingerprints.push(outcome.fingerprint)
    } else {
      block.rejected.set(block.ids.length, rejectedRow(row, id, outcome, record.raw ?? rawOf(cells, headings)))
      block.lengths.push(0)
      block.sizes.push(0)
      block.tokens.push(undefined)
      block.fingerprints.push(undefined)
    }
    block.ids.push(id)
    block.rows.push(row)
    block.named.push(named)
    block.paths.push(path)
  }

  /** Where the next record is written by those that write bytes themselves. */
  get memory(): ReusedBuffer {
    return (this.buffer ??= this.buffers.next())
  }

  /** Adds a record whose bytes are in the memory already. */
  addBytes(row: number, length: number, { id, named, length: size, tokens, fingerprint }: ByteLine): void {
    const { block } = this
    block.ids.push(id)
    block.rows.push(row)
    block.named.push(named)
    block.paths.push(undefined)
    block.lengths.push(length)
    block.sizes.push(size)
    block.tokens.push(tokens)
    block.fingerprints.push(fingerprint)
    this.size++
  }

  /** What was collected since the last call. */
  take(): Block {
    const { block, buffer } = this
    this.buffer = undefined
    this.size = 0
    this.block = { ...emptyBlock(), through: block.through, bytesRead: block.bytesRead }
    return { ...block, headings: this.headings, bytes: buffer?.bytes ?? NO_BYTES }
  }
}

const NO_BYTES = new Uint8Array(0)

/** A block that is being made. */
type Mutable<T> = {
  -readonly [K in keyof T]: T[K] extends readonly (infer E)[]
    ? E[]
    : T[K] extends ReadonlyMap<infer A, infer B>
      ? Map<A, B>
      : T[K] extends ReadonlySet<infer E>
        ? Set<E>
        : T[K]
}

function emptyBlock(): Mutable<Omit<Block, 'bytes' | 'headings'>> {
  return {
    ids: [],
    rows: [],
    lengths: [],
    sizes: [],
    tokens: [],
    fingerprints: [],
    paths: [],
    named: [],
    unfit: new Set(),
    rejected: new Map(),
    beside: [],
    onTurn: [],
    through: 0,
    bytesRead: 0,
  }
}

/** A block whose records were made without asking which are wanted, as threads do, with those left out that are not. */
export function selected(block: Block, selection: Selection, raw: (place: number) => Promise<unknown>): Promise<Block> {
  const skipped = new Set<number>()
  const refused: [place: number, problems: readonly Problem[]][] = []
  block.ids.forEach((id, place) => {
    const verdict = selection.verdict(id, block.named[place] ?? false, !block.unfit.has(place), block.paths[place])
    if (verdict === 'skipped') skipped.add(place)
    else if (verdict !== 'wanted') refused.push([place, verdict])
  })
  const through = selection.count
  if (skipped.size === 0 && refused.length === 0) return Promise.resolve({ ...block, through })
  return withRefused({ ...block, through, skipped }, refused, raw)
}

async function withRefused(
  block: Block,
  refused: readonly (readonly [place: number, problems: readonly Problem[]])[],
  raw: (place: number) => Promise<unknown>,
): Promise<Block> {
  const rejected = new Map(block.rejected)
  for (const [place, problems] of refused)
    rejected.set(place, rejectedRow(block.rows[place] ?? 0, block.ids[place] ?? '', { problems }, (await raw(place)) ?? null))
  return { ...block, rejected }
}
