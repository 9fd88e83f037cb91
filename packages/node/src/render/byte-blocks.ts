import { hash } from 'node:crypto'
import { byteLines, ByteRow, cutRow, kindsOf, BEYOND, type ByteLines } from 'dunelight/bytes'
import { turnTokens, type LineOptions } from 'dunelight/host'
import { CsvRows, type Row } from '@dunelight/tables'
import type { Problem, Turn } from 'dunelight'
import { BlockBuilder, type Block } from '../runs/block.js'
import type { BufferPool } from '../runs/buffer-pool.js'
import { byteText } from '../sources/byte-text.js'
import type { Cut } from '../sources/cutter.js'
import { LINES, type OutputForm } from './output-form.js'
import { renderStep, type Rendering } from './render-step.js'

export interface ByteSetting extends Pick<Rendering, 'batch' | 'line'> {
  readonly form: OutputForm
  readonly headings: readonly string[]
  readonly named: string | null
  readonly delimiter: string
}

/**
 * Renders the rows of a cut as bytes, those that need more as values: their lines stand in the same block, in the order of the table. What is
 * written is the same either way, byte for byte.
 */
export class ByteBlocks {
  private readonly row = new ByteRow()
  private readonly kinds: Uint8Array
  private readonly step: ReturnType<typeof renderStep>
  private readonly builder: BlockBuilder

  /** Undefined if the batch's lines need more than their rows, or are of another form. */
  static for(setting: ByteSetting, buffers: BufferPool): ByteBlocks | undefined {
    const { batch, line, form, headings, named } = setting
    if (form !== LINES) return undefined
    const platform = { decode: textOf, hash: digestOf, ...counterOf(line) }
    const lines = byteLines({ batch, headings, named, options: line, platform })
    return lines && new ByteBlocks(setting, lines, buffers)
  }

  private constructor(
    private readonly setting: ByteSetting,
    private readonly lines: ByteLines,
    buffers: BufferPool,
  ) {
    this.kinds = kindsOf(setting.delimiter)
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
    return this.lines.rows.problems
  }

  /** Renders all rows of a cut. */
  render(cut: Omit<Cut, 'end'>): Block {
    const { places, bytes, encoding } = cut
    const { row, builder } = this
    const source = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length)
    row.source = source
    // One text for the block: to make one of each cell costs ten times as much.
    row.characters = source.toString('latin1')
    for (let i = cut.rows === 0 ? 1 : 0; i * 3 < places.length; i++) {
      row.number = cut.rows + i
      if (encoding !== 'utf-8' || !this.writeBytes(i, places)) this.writeValues(i, cut)
    }
    return builder.take()
  }

  /** The cells of a record, by its number in the table. The heading is the row 0. */
  cells(cut: Omit<Cut, 'end'>, number: number): Row {
    return rowAt(cut, this.setting.delimiter, number - cut.rows)
  }

  private writeBytes(index: number, places: Int32Array): boolean {
    const { row, lines, builder } = this
    const { memory } = builder
    const start = places[3 * index] ?? 0
    const end = places[3 * index + 1] ?? 0
    if (!cutRow(row, this.kinds, start, end, places[3 * index + 2] === 1)) return false
    const at = memory.end
    row.out = memory.memory
    row.at = at
    if (!lines.write(row)) return false
    memory.fillTo(row.at)
    const { idColumn } = lines
    const isNamed = idColumn >= 0 && !row.isEmpty(idColumn)
    const id = isNamed ? textOf(row, idColumn) : String(row.number)
    builder.addBytes({ id, row: row.number, named: isNamed }, row.at - at, lines.line)
    return true
  }

  private writeValues(index: number, cut: Omit<Cut, 'end'>): void {
    const { headings, delimiter } = this.setting
    const record = this.lines.rows.read(rowAt(cut, delimiter, index), this.row.number)
    // Nothing is left out: a batch that leaves rows out is rendered by values.
    if (!record) return
    const outcome = this.step(record, headings)
    if (outcome instanceof Promise || Array.isArray(outcome)) throw new Error('a rendering does not wait')
    this.builder.add({ record, headings, through: 0, bytesRead: 0 }, outcome as Exclude<typeof outcome, readonly unknown[]>)
  }
}

/** The cells of one row of a cut. */
function rowAt({ bytes, places, encoding }: Omit<Cut, 'end'>, delimiter: string, index: number): Row {
  const row = bytes.subarray(places[3 * index], places[3 * index + 1])
  const utf8 = encoding === 'utf-8'
  const rows = new CsvRows(delimiter, { name: '' })
  const text = utf8 ? byteText.text(row) : new TextDecoder(encoding).decode(new Uint8Array(row))
  const all = [...rows.add({ text, plain: false, decodePiece: utf8 ? byteText.decodePiece : undefined }), ...rows.end()]
  return all[0] ?? []
}

/** A cell as text, with its quotes as they are meant. */
function textOf({ source, characters, starts, ends, kinds, doubled }: ByteRow, column: number): string {
  const start = starts[column] ?? 0
  const end = ends[column] ?? 0
  const isAscii = ((kinds[column] ?? 0) & BEYOND) === 0
  const text = isAscii ? characters.slice(start, end) : (source as Buffer).toString('utf8', start, end)
  return doubled[column] === 1 ? text.replaceAll('""', '"') : text
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
