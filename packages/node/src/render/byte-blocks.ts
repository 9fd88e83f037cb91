import { hash } from 'node:crypto'
import { byteLines, ByteRow, cutRow, JsonCutter, kindsOf, type ByteLines } from 'dunelight/bytes'
import { turnTokens, type BatchRows, type LineOptions } from 'dunelight/host'
import { Misread } from '@dunelight/tables'
import type { Problem, Turn } from 'dunelight'
import { BlockBuilder, type Block } from '../runs/block.js'
import type { BufferPool } from '../runs/buffer-pool.js'
import { rawOf } from '../runs/rejected.js'
import { rowOfCut, rowsOfCut, type CutRows, type CutTable } from '../sources/cut-rows.js'
import type { Cut } from '../sources/cutter.js'
import { readRow } from '../sources/records.js'
import { RowSource, textOf } from '../sources/row-source.js'
import { LINES, type OutputForm } from './output-form.js'
import { renderStep, type Rendering } from './render-step.js'

export interface ByteSetting extends Pick<Rendering, 'batch' | 'line' | 'pools'>, CutTable {
  readonly form: OutputForm
  readonly named: string | null
  /** Whether no headings come later: records may have further keys. */
  readonly isWhole: boolean
}

/**
 * Renders the rows of a cut as bytes, those that need more as values: their lines stand in the same block, in the order of the table. What is
 * written is the same either way, byte for byte.
 */
export class ByteBlocks {
  private readonly row = new ByteRow()
  private readonly step: ReturnType<typeof renderStep>
  private readonly builder: BlockBuilder
  /** The number of a table's first row: a heading is the row 0. */
  private readonly first: number
  private readonly source: RowSource
  private cutter: Cutter
  private rows: BatchRows

  /** Undefined if the batch's lines need more than their rows, or are of another form. */
  static for(setting: ByteSetting, buffers: BufferPool): ByteBlocks | undefined {
    if (setting.form !== LINES) return undefined
    const lines = linesOf(setting)
    return lines && new ByteBlocks(setting, lines, buffers)
  }

  private constructor(
    private setting: ByteSetting,
    private lines: ByteLines | undefined,
    buffers: BufferPool,
  ) {
    const { batch, headings, named, pools = [], delimiter } = setting
    const typed = delimiter === undefined
    this.first = typed ? 1 : 0
    this.source = new RowSource(this.row, typed)
    this.cutter = cutterOf(setting)
    this.rows = lines?.rows ?? batch.rows(headings, pools, named ?? undefined)
    this.step = renderStep(setting)
    this.builder = new BlockBuilder(buffers)
    this.row.grow = (least) => {
      const { memory } = this.builder
      memory.fillTo(this.row.at)
      return memory.memoryOf(least)
    }
  }

  /** Problems of the headings. */
  get problems(): readonly Problem[] {
    return this.rows.problems
  }

  /** Renders all rows of a cut. */
  render(cut: Omit<Cut, 'end'>): Block {
    const { places, bytes, encoding } = cut
    const { row, builder, source } = this
    source.take(bytes)
    for (let i = 0; i * 3 < places.length; i++) {
      row.number = cut.rows + i + this.first
      if (row.number === 0) continue
      if (encoding !== 'utf-8' || !this.writeBytes(i, places)) this.writeValues(i, cut)
    }
    return builder.take()
  }

  /** A record as it is in its table, by its number. */
  raw(cut: Omit<Cut, 'end'>, number: number): unknown {
    const { row, headings } = rowOfCut(cut, number - cut.rows - this.first, this.setting)
    return row instanceof Misread ? row.raw : rawOf(row, headings)
  }

  private writeBytes(index: number, places: Int32Array): boolean {
    const { row, lines, builder } = this
    const { memory } = builder
    const start = places[3 * index] ?? 0
    const end = places[3 * index + 1] ?? 0
    if (!lines || !this.cutter(row, start, end, places[3 * index + 2] === 1)) return false
    const at = memory.end
    row.out = memory.memory
    row.at = at
    const result = lines.write(row)
    if (result !== 'written') return result === 'left out'
    memory.fillTo(row.at)
    builder.addBytes(row.number, row.at - at, lines.line)
    return true
  }

  private writeValues(index: number, cut: Omit<Cut, 'end'>): void {
    let read = rowOfCut(cut, index, this.setting)
    if (read.headings !== this.setting.headings) {
      this.grow(cut)
      read = rowOfCut(cut, index, this.setting)
    }
    const { row, headings } = read
    const record = readRow(this.rows, row, this.row.number)
    if (!record) return
    const outcome = this.step(record, headings)
    if (outcome instanceof Promise || Array.isArray(outcome)) throw new Error('a rendering does not wait')
    this.builder.add({ record, headings, through: 0, bytesRead: 0 }, outcome as Exclude<typeof outcome, readonly unknown[]>)
  }

  /** Takes the keys of a cut's records among the headings: of all of them, since new keys seldom come alone. */
  private grow(cut: CutRows): void {
    const { setting } = this
    const { headings } = rowsOfCut(cut, setting)
    this.setting = { ...setting, headings }
    this.lines = linesOf(this.setting)
    this.rows = this.lines?.rows ?? setting.batch.rows(headings, setting.pools ?? [], setting.named ?? undefined)
    this.cutter = cutterOf(this.setting)
  }
}

function linesOf({ batch, line, headings, named, pools = [], delimiter, isWhole }: ByteSetting): ByteLines | undefined {
  const platform = { decode: textOf, hash: digestOf, ...counterOf(line) }
  return byteLines({ batch, headings, named, pools, typed: delimiter === undefined, isWhole, options: line, platform })
}

type Cutter = (row: ByteRow, start: number, end: number, quoted: boolean) => boolean

function cutterOf({ delimiter, headings }: ByteSetting): Cutter {
  if (delimiter === undefined) {
    const lines = new JsonCutter(headings)
    return (row, start, end) => lines.cut(row, start, end)
  }
  const kinds = kindsOf(delimiter)
  return (row, start, end, quoted) => cutRow(row, kinds, start, end, quoted)
}

function digestOf(bytes: Uint8Array, start: number, end: number): string {
  return hash('sha256', bytes.subarray(start, end))
}

function counterOf({ countTokens }: LineOptions) {
  if (!countTokens) return {}
  const count = (bytes: Uint8Array, start: number, end: number) =>
    turnTokens(JSON.parse(Buffer.from(bytes.buffer, bytes.byteOffset + start, end - start).toString()) as Turn[], countTokens)
  return { countTokens: count }
}
