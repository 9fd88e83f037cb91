import { contained } from 'dunelight'
import {
  problemRecord,
  ProblemError,
  type Batch,
  type BatchRecord,
  type Line,
  type LineOptions,
  type LineWriter,
  type Problem,
  type ProblemRecord,
} from 'dunelight'
import type { RecordChunk } from '../sources/records.js'
import type { OutputForm } from './output-form.js'
import { Rooms } from './rooms.js'

/** A record that was not rendered, and why. */
export interface Aside {
  readonly row: number
  readonly id: string
  readonly problems: readonly ProblemRecord[]
  /** The record as it stands in its table. */
  readonly raw: unknown
}

/** Records that have been rendered, in order, with what they are written as: plain data, so that a thread can hand it to another. */
export interface Block {
  /** What is written of all of them. The room is taken again for the next block but one. */
  readonly bytes: Uint8Array
  readonly ids: readonly string[]
  readonly rows: readonly number[]
  /** How many bytes each has among them; 0 for one that was set aside. */
  readonly lengths: readonly number[]
  /** The length of each one's turns, in bytes. */
  readonly sizes: readonly number[]
  /** 1 for each record whose name no other may have. */
  readonly named: readonly number[]
  readonly fingerprints: readonly string[] | undefined
  readonly tokens: readonly number[] | undefined
  /** Where each goes, if each goes to a place of its own. */
  readonly paths: readonly string[] | undefined
  readonly asides: readonly (Aside & { readonly at: number })[]
  /** A record as it stands in its table: asked for before the next block but one is taken. */
  readonly raw: (at: number) => unknown
  /** How far the source has been read. */
  readonly bytesRead: number
}

/** Renders records to blocks. */
export class BlockMaker {
  private writer: LineWriter | undefined
  private headings: readonly string[] | undefined

  constructor(
    private readonly batch: Batch,
    private readonly form: OutputForm,
    private readonly options: LineOptions,
    /** One that is filled while the other is written, where nothing is said. */
    private readonly rooms = new Rooms(2),
  ) {}

  /** Renders some records; the first `skip` of them are counted and named, but not rendered. */
  block({ headings, records, bytesRead }: RecordChunk, skip = 0): Block {
    const writer = this.writerFor(headings)
    const ids: string[] = []
    const rows: number[] = []
    const lengths: number[] = []
    const sizes: number[] = []
    const named: number[] = []
    const fingerprints: string[] | undefined = this.options.full ? [] : undefined
    const tokens: number[] | undefined = this.options.countTokens ? [] : undefined
    const paths: string[] | undefined = this.batch.perRecord ? [] : undefined
    const asides: (Aside & { at: number })[] = []
    const room = this.rooms.next()
    // The cells are held anyway, by the part of the table that they are of; values and turns are let go with their record.
    const cells: BatchRecord['cells'][] = []
    for (const record of records) {
      const done = cells.length < skip ? skipped(record) : this.render(writer, record)
      if ('problems' in done) asides.push({ at: ids.length, ...asideOf(record, headings, done.problems) })
      const { text, line } = 'problems' in done ? NOTHING : done
      cells.push(record.cells)
      ids.push(record.id)
      rows.push(record.row)
      named.push(record.named ? 1 : 0)
      lengths.push(room.add(text))
      sizes.push(line.length)
      fingerprints?.push(line.fingerprint ?? '')
      tokens?.push(line.tokens ?? 0)
      paths?.push(record.path ?? '')
    }
    const raw = (at: number) => rawOf(cells[at]!, headings)
    return { raw, bytes: room.bytes, ids, rows, lengths, sizes, named, fingerprints, tokens, paths, asides, bytesRead }
  }

  private writerFor(headings: readonly string[]): LineWriter {
    if (!this.writer || headings !== this.headings) {
      this.writer = this.batch.writer(headings, this.options)
      this.headings = headings
    }
    return this.writer
  }

  private render(writer: LineWriter, record: BatchRecord): { text: string; line: Line } | { problems: readonly Problem[] } {
    const { prepared } = record
    if (!prepared) return { problems: record.problems }
    try {
      return contained(() => {
        const line = writer.line(record, prepared)
        return { line, text: this.form.record(record, prepared, line) }
      })
    } catch (fault) {
      if (fault instanceof ProblemError) return { problems: fault.problems }
      throw fault
    }
  }
}

const NOTHING: { readonly text: string; readonly line: Line } = {
  text: '',
  line: { bytes: '', fingerprint: undefined, tokens: undefined, length: 0 },
}

/** A record that was rendered before. */
function skipped({ prepared, problems }: BatchRecord): typeof NOTHING | { problems: readonly Problem[] } {
  return prepared ? NOTHING : { problems }
}

function asideOf(record: BatchRecord, headings: readonly string[], problems: readonly Problem[]): Aside {
  const { row, id, raw, cells } = record
  return { row, id, problems: problems.map(problemRecord), raw: raw ?? rawOf(cells, headings) }
}

/** A record as it stands in its table. */
export function rawOf(cells: BatchRecord['cells'], headings: readonly string[]): unknown {
  const named = Object.fromEntries(headings.map((heading, i) => [heading, cells[i] ?? null]))
  return cells.length > headings.length ? { ...named, [MORE]: cells.slice(headings.length) } : named
}

/** Cells of a row that no heading stands above. */
const MORE = 'further cells'
