import { defined } from '../invariant.js'
import type { Batch } from '../batches/batch.js'
import type { Pool } from '../batches/pool.js'
import type { BatchRows } from '../batches/rows.js'

import type { LineOptions } from '../library/line.js'
import { renderOptions } from '../library/line.js'
import { planOf } from '../library/prompt.js'
import { ProblemError } from '../problems/problem.js'
import { jsonBytes, utf8Bytes } from '../render/json-bytes.js'
import type { Plan, TurnPlan } from '../render/plan.js'
import { startRun } from '../render/render.js'
import type { Run } from '../render/run.js'
import type { Direct } from '../render/shape.js'
import type { Column, RowReader } from '../values/row.js'
import { valueOf, type Decode } from './bounds.js'
import { BatchRow } from './batch-row.js'
import { checkOf } from './checks.js'
import { bytesOf, type ByteRow } from './row.js'
import { StepCompiler, type ByteStep, type Origin } from './steps.js'

/** What the platform does with bytes. */
export interface BytePlatform {
  readonly decode: Decode
  /** SHA-256 of a range of bytes, in hexadecimal digits. */
  readonly hash: (bytes: Uint8Array, start: number, end: number) => string
  /** The tokens of turns, which are given as a JSON list. */
  readonly countTokens?: (bytes: Uint8Array, start: number, end: number) => number
}

/** What was found out about a line as it was written. */
export interface ByteLine {
  /** The record's name, or the number of its row. */
  id: string
  named: boolean
  /** The bytes of its turns. */
  length: number
  fingerprint: string | undefined
  tokens: number | undefined
}

/** Writes the standard lines of a table's rows from their bytes. */
export interface ByteLines {
  /** Writes the line of a row that was cut. Nothing is written of one that is left out, or that has to be read as values. */
  write(row: ByteRow): 'written' | 'left out' | 'odd'
  readonly line: Readonly<ByteLine>
  /** The same rows as values. */
  readonly rows: BatchRows
}

const DIGEST = 64

/** The lines of a table that are asked for. */
export interface ByteRequest {
  readonly batch: Batch
  readonly headings: readonly string[]
  /** The heading of the column that names the records. */
  readonly named: string | null
  /** Joined tables. */
  readonly pools: readonly Pool[]
  /** Whether the table has numbers and lists as such: lines of JSON. */
  readonly typed: boolean
  /** Whether no headings come later. */
  readonly isWhole: boolean
  readonly options: LineOptions
  readonly platform: BytePlatform
}

/** The lines of a batch over bytes; undefined where a record's line needs more than its row, or another form. */
export function byteLines(request: ByteRequest): ByteLines | undefined {
  try {
    return linesOf(request)
  } catch (fault) {
    // What no row can change is wrong already: it is said of each row, where values are rendered.
    if (fault instanceof ProblemError) return undefined
    throw fault
  }
}

function linesOf({ batch, headings, named, pools, typed, isWhole, options, platform }: ByteRequest): ByteLines | undefined {
  const { prompt, model } = batch
  if (batch.assembly || model.envelope || batch.perRecord || prompt.outputs.length > 1) return undefined
  const { plan, settingFor } = planOf(prompt)
  if (plan.personal.paths.length > 0 || (plan.guarded && plan.openEnd)) return undefined
  const rows = batch.rows(headings, pools, named ?? undefined)
  if (rows.problems.some(({ severity }) => severity === 'error')) return undefined
  const { columns: reader } = rows.reader
  // A record without declared fields has all that the table has.
  if (!isWhole && reader.record?.type.kind === 'record' && !reader.record.type.fields) return undefined
  const places = new Places(plan, reader, rows.joined)
  // Formats write by the locale: what is known of a cell is known for one of them.
  if (plan.locale && !places.isChosen) return undefined
  const record = new BatchRow(rows, named === null ? -1 : headings.indexOf(named), platform.decode)
  const begun = new WeakMap<ByteRow, { readonly run: Run; readonly number: number }>()
  const runOf = (row: ByteRow): Run => {
    const before = begun.get(row)
    if (before?.number === row.number) return before.run
    const cells = Array.from({ length: row.cells }, (_, column) => valueOf(row, column, platform.decode))
    const { accepted } = reader.read(cells, row.number)
    if (!accepted) throw new ProblemError([])
    record.putJoined(accepted)
    const run = startRun(plan, accepted, settingFor(renderOptions(options, record.id)), true)
    begun.set(row, { run, number: row.number })
    return run
  }
  const standing = reader.standing.map((value, i) => (i === reader.recordIndex ? {} : value))
  const standingRun = () => startRun(plan, standing, settingFor(renderOptions(options, '')), true)
  const originOf = (direct: Direct | undefined) => places.of(direct)
  const compiler = new StepCompiler({ plan, originOf, runOf, standingRun, decode: platform.decode })
  const turns = plan.turns.map((turn) => turnOf(turn, plan, compiler, places, standingRun))
  if (!turns.every((turn) => turn !== undefined)) return undefined
  const checks = [...reader.columns, ...reader.beside].map((column) => checkOf(column, platform.decode, typed))
  return new StandardLines(batch, rows, turns, checks, compiler, options, platform, record, settingFor({}).limits.renderingBytes)
}

/** Where a prompt's values come from, in a table. */
class Places {
  private readonly byVariable = new Map<number, Column>()
  private readonly byField: ReadonlyMap<string, Column>

  constructor(
    private readonly plan: Plan,
    private readonly reader: RowReader,
    /** Variables whose values are joined rows. */
    private readonly joined: readonly number[],
  ) {
    const own = reader.record ? reader.beside : reader.columns
    own.forEach((column, i) => this.byVariable.set(defined(reader.places[i]), column))
    this.byField = new Map(reader.record ? reader.columns.map((column) => [column.name, column]) : [])
  }

  of(direct: Direct | undefined): Origin {
    if (!direct) return undefined
    const { variable, field } = direct
    if (variable === this.reader.recordIndex) {
      if (field === undefined) return undefined
      const column = this.byField.get(field)
      return column ? { column } : 'missing'
    }
    if (this.joined.includes(variable)) return undefined
    const column = this.byVariable.get(variable)
    if (!column) return 'standing'
    return field === undefined ? { column } : undefined
  }

  /** Whether what depends on these variables is the same for all rows. */
  areStanding({ variables, more }: Plan['chosenBy']): boolean {
    const isStanding = (variable: number) =>
      variable !== this.reader.recordIndex && !this.byVariable.has(variable) && !this.joined.includes(variable)
    return !more && [...variables].every(isStanding)
  }

  get isChosen(): boolean {
    return this.areStanding(this.plan.chosenBy)
  }
}

function turnOf(turn: TurnPlan, plan: Plan, compiler: StepCompiler, places: Places, standingRun: () => Run): ByteStep | undefined {
  if (turn.kind !== 'text' || turn.attach.length > 0) return undefined
  const name = turn.name === undefined ? '' : `"name":"${jsonBytes(turn.name)}",`
  const head = `{"role":"${turn.role}",${name}"text":"`
  if (turn.memo && places.isChosen && places.areStanding({ variables: new Set(turn.memo.variables), more: false })) {
    const run = standingRun()
    run.out = ''
    turn.op(run)
    const text = new TextEnd(bytesOf(run.out))
    if (run.suspect || !text.beginsFirmly(0)) return undefined
    return compiler.fixed(`${head}${run.out.slice(0, text.end(0, run.out.length))}"}`)
  }
  const [open, close] = [compiler.fixed(head), compiler.fixed('"}')]
  const body = compiler.step(turn.op)
  return (row) => {
    open(row)
    const start = row.at
    row.lineStart = start
    row.blanks = 0
    body(row)
    const text = new TextEnd(row.out)
    row.at = text.end(start, row.at)
    // An empty turn, or empty lines before it: they go, and that is done elsewhere.
    row.isOdd ||= row.at === start || !text.beginsFirmly(start)
    close(row)
  }
}

const [SPACE, BACKSLASH, LETTER_N, LETTER_T] = [32, 92, 110, 116]

/** The ends of a text that is escaped as in JSON. */
class TextEnd {
  constructor(private readonly bytes: Uint8Array) {}

  /** Whether the text begins with a character, and not with a space or an empty line. */
  beginsFirmly(start: number): boolean {
    const first = defined(this.bytes[start])
    const second = this.bytes[start + 1]
    return first > SPACE && (first !== BACKSLASH || (second !== LETTER_N && second !== LETTER_T))
  }

  /** Where the text ends without the empty lines at its end. */
  end(start: number, from: number): number {
    const { bytes } = this
    let at = from
    let end = from
    while (at > start) {
      const last = bytes[at - 1]
      if (last === SPACE) at--
      else if ((last === LETTER_N || last === LETTER_T) && this.isEscape(start, at - 2)) {
        at -= 2
        if (last === LETTER_N) end = at
      } else break
    }
    return end
  }

  /** Whether the backslash at a place begins an escape, and is not the second half of one. */
  private isEscape(start: number, place: number): boolean {
    let count = 0
    while (place - count >= start && this.bytes[place - count] === BACKSLASH) count++
    return count % 2 === 1
  }
}

const BEGIN = bytesOf('{"record":"')
const ROW = bytesOf('","row":')

/** `{"record":…,"row":…,"prompt":…,"fingerprint":…,"turns":[…],"output":…,"settings":{…},"tokens":…}` */
class StandardLines implements ByteLines {
  readonly line: ByteLine = { id: '', named: false, length: 0, fingerprint: undefined, tokens: undefined }
  private readonly prompt: Uint8Array
  private readonly turnsBegin: Uint8Array
  private readonly tail: Uint8Array
  /** The columns that are written, and the bytes that are needed for each byte of their cells. */
  private readonly columns: readonly number[]
  private readonly times: readonly number[]
  private readonly fixedLength: number
  private readonly isFull: boolean

  constructor(
    { prompt }: Batch,
    readonly rows: BatchRows,
    private readonly turns: readonly ByteStep[],
    private readonly checks: readonly ((row: ByteRow) => boolean)[],
    { fixedLength, cellWrites }: StepCompiler,
    { full = false }: LineOptions,
    private readonly platform: BytePlatform,
    private readonly record: BatchRow,
    private readonly most: number,
  ) {
    const [output] = prompt.outputs
    const named = output === undefined ? 'null' : `"${jsonBytes(output)}"`
    this.isFull = full
    this.prompt = bytesOf(`,"prompt":"${jsonBytes(prompt.name)}"${full ? ',"fingerprint":"' : ''}`)
    this.turnsBegin = bytesOf(`${full ? '"' : ''},"turns":[`)
    this.tail = bytesOf(full ? `,"output":${named},"settings":${utf8Bytes(JSON.stringify(prompt.settings))}` : '')
    const parts = [BEGIN, ROW, this.prompt, this.turnsBegin, this.tail]
    this.fixedLength = parts.reduce((sum, { length }) => sum + length, fixedLength + turns.length + DIGEST + 80)
    this.columns = [...cellWrites.keys()]
    this.times = [...cellWrites.values()].map((count) => 2 * count)
  }

  write(row: ByteRow): 'written' | 'left out' | 'odd' {
    const { at } = row
    if (row.cells !== this.rows.headings.length) return 'odd'
    row.isOdd = false
    try {
      const found = this.record.find(row)
      if (found !== 'kept') return found
      for (let i = 0; i < this.checks.length; i++) if (!defined(this.checks[i])(row)) return 'odd'
      if (this.writeLine(row)) return 'written'
    } catch (fault) {
      // What is wrong is said where values are rendered.
      if (!(fault instanceof ProblemError)) throw fault
    }
    row.at = at
    return 'odd'
  }

  private writeLine(row: ByteRow): boolean {
    const { record, turns, platform, line } = this
    row.room = this.roomFor(row)
    row.atLeast(0)
    row.fixed(BEGIN)
    if (record.column >= 0) row.cell(record.column)
    else row.text(jsonBytes(record.id))
    row.fixed(ROW)
    digits(row, row.number)
    row.fixed(this.prompt)
    const place = row.at
    if (this.isFull) row.at += DIGEST
    row.fixed(this.turnsBegin)
    const start = row.at - 1
    for (let i = 0; i < turns.length; i++) {
      if (i > 0) row.out[row.at++] = COMMA
      defined(turns[i])(row)
    }
    row.out[row.at++] = CLOSE_LIST
    const length = row.at - start
    if (row.isOdd || length > this.most) return false
    line.id = record.id
    line.named = record.isNamed
    line.length = length
    if (this.isFull) {
      line.fingerprint = platform.hash(row.out, start, row.at)
      for (let i = 0; i < DIGEST; i++) row.out[place + i] = line.fingerprint.charCodeAt(i)
    }
    const end = row.at
    row.fixed(this.tail)
    if (platform.countTokens) {
      line.tokens = platform.countTokens(row.out, start, end)
      row.fixed(TOKENS)
      digits(row, line.tokens)
    }
    row.out[row.at++] = CLOSE_RECORD
    row.out[row.at++] = FEED
    return true
  }

  /** A character of a cell is written as two bytes at most. */
  private roomFor(row: ByteRow): number {
    let room = this.fixedLength
    if (this.record.column >= 0) room += 2 * lengthOf(row, this.record.column)
    for (let i = 0; i < this.columns.length; i++) room += defined(this.times[i]) * lengthOf(row, defined(this.columns[i]))
    return room
  }
}

const TOKENS = bytesOf(',"tokens":')
const [COMMA, CLOSE_LIST, CLOSE_RECORD, FEED, DIGIT_0] = [44, 93, 125, 10, 48]

function lengthOf({ starts, ends }: ByteRow, column: number): number {
  return defined(ends[column]) - defined(starts[column])
}

/** Writes a whole number from 0. */
function digits(row: ByteRow, number: number): void {
  const { out } = row
  let count = 1
  for (let rest = number; rest >= 10; rest = Math.floor(rest / 10)) count++
  const end = row.at + count
  let rest = number
  for (let place = end - 1; place >= row.at; place--) {
    out[place] = DIGIT_0 + (rest % 10)
    rest = Math.floor(rest / 10)
  }
  row.at = end
}
