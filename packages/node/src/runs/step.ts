import type { BatchRecord } from 'dunelight/host'
import type { RecordChunk } from '../sources/records.js'
import { BlockBuilder, type Block } from './block.js'
import { BufferPool } from './buffer-pool.js'
import type { Counts } from './counts.js'
import type { Beside, Outcome } from './outcome.js'
import type { Rejection } from './rejected.js'
import type { Selection } from './selection.js'

/** Processes one record. Undefined: it has no result, and it is not counted. */
export type RecordStep = (record: BatchRecord, headings: readonly string[]) => Several<Outcome | undefined>
type Several<T> = T | Promise<T> | readonly Promise<T>[]

/** What a run does with the records of its table. */
export interface Step<C extends Counts = Counts> {
  /** The results of the records, in their order. */
  readonly blocks: (selection: Selection) => AsyncIterable<Block>
  /** What is counted: plain data, kept by the checkpoint. The engine counts what is written and what is rejected. */
  readonly counts: C
  /** Counts the written records of a block, by their places in it; gives what other files get. */
  readonly onWritten?: (block: Block, places: readonly number[]) => readonly Beside[]
}

/** The run was stopped while a record waited for its turn. The results of the records before it are whole. */
export class Interrupted extends Error {
  override readonly name: string = 'Interrupted'
}

export interface StepOptions {
  /** How many records may be under way at a time. */
  readonly ahead?: number
  readonly buffers?: BufferPool
  /** How many records are passed on at a time, at most. */
  readonly most?: number
}

interface Entry {
  readonly record: BatchRecord
  readonly headings: readonly string[]
  readonly through: number
  readonly bytesRead: number
  readonly outcome: Promise<Outcome | undefined>
  ready: boolean
}

/**
 * Runs a step for the selected records, several at a time if it is asynchronous, and passes on the results in the records' order.
 * While a record is waited for, those before it are passed on.
 */
export async function* doSteps(
  chunks: AsyncIterable<RecordChunk>,
  selection: Selection,
  step: RecordStep,
  { ahead = 1, buffers = new BufferPool(2), most = 512 }: StepOptions = {},
): AsyncGenerator<Block> {
  const builder = new BlockBuilder(buffers)
  const waiting: Entry[] = []
  const drain = async function* (left: number): AsyncGenerator<Block> {
    for (let first = waiting[0]; first && (first.ready || waiting.length > left); first = waiting[0]) {
      if (builder.size > 0 && (!first.ready || builder.size >= most)) yield builder.take()
      try {
        builder.add(first, await first.outcome)
      } catch (fault) {
        if (builder.size > 0) yield builder.take()
        throw fault
      }
      waiting.shift()
    }
  }
  let rows = 0
  for await (const { headings, records, bytesRead, rows: count } of chunks) {
    rows += count
    for (const record of records) {
      const verdict = selection.of(record)
      if (verdict === 'skipped') continue
      const place = { record, headings, through: selection.count, bytesRead: (bytesRead * record.row) / Math.max(rows, record.row) }
      const outcome = verdict === 'wanted' ? step(record, headings) : { problems: verdict }
      if (waiting.length === 0 && !isPromise(outcome) && !isList(outcome)) {
        builder.add(place, outcome)
        if (builder.size >= most) yield builder.take()
      } else for (const later of isList(outcome) ? outcome : [Promise.resolve(outcome)]) waiting.push(entryOf(place, later))
      if (waiting.length > 0) yield* drain(ahead - 1)
      if (selection.full) break
    }
    if (waiting.length === 0 && builder.size > 0) yield builder.take()
    if (selection.full) break
  }
  yield* drain(0)
  if (builder.size > 0) yield builder.take()
}

function entryOf(place: Omit<Entry, 'outcome' | 'ready'>, outcome: Promise<Outcome | undefined>): Entry {
  const entry: Entry = { ...place, outcome, ready: false }
  const settled = () => (entry.ready = true)
  outcome.then(settled, settled)
  return entry
}

function isPromise<T>(outcome: Several<T>): outcome is Promise<T> {
  return outcome instanceof Promise
}

function isList<T>(outcome: Several<T>): outcome is readonly Promise<T>[] {
  return Array.isArray(outcome)
}

/** What a record without values comes to. */
export function unprepared({ problems }: BatchRecord): Rejection {
  return { problems }
}
