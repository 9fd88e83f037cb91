import { defined } from '../invariant.js'
import { jsonBytes } from '../render/json-bytes.js'
import type { Plan } from '../render/plan.js'
import type { Op, Run, Test } from '../render/run.js'
import type { Direct, PlainValue, SlotPart, StepShape, TestShape } from '../render/shape.js'
import type { Column } from '../values/row.js'
import { isFreeText } from '../values/types.js'
import { isSuspect } from '../fences/suspicion.js'
import { isSuspectCell, type Decode } from './bounds.js'
import { ByteMemo } from './memo.js'
import { plainStep, type PlainPiece } from './plain.js'
import { bytesOf, CONTROL, type ByteRow } from './row.js'

/** A step of a plan, over a row's bytes. */
export type ByteStep = (row: ByteRow) => void
type ByteTest = (row: ByteRow) => boolean

/** Where a value comes from: a column, no column at all (then it is missing), or the same for all rows. */
export type Origin = { readonly column: Column } | 'missing' | 'standing' | undefined

export interface StepSetting {
  readonly plan: Plan
  readonly originOf: (direct: Direct | undefined) => Origin
  /** The row's values in a rendering that has begun, for steps that have no form in bytes. */
  readonly runOf: (row: ByteRow) => Run
  /** The same for what no row decides. */
  readonly standingRun: () => Run
  readonly decode: Decode
}

const [FEED, SPACE, TAB, BACKSLASH, LETTER_N] = [10, 32, 9, 92, 110]
/** A longer text of a slot is not kept. */
const LONGEST_KEPT = 200

/** Makes the steps of a plan over bytes. A step that says nothing of itself runs on the row's values, as ever. */
export class StepCompiler {
  /** Bytes that a row's line may have at most, beside its cells and what is asked for as it is written. */
  fixedLength = 0
  /** How often each column's cell is written. */
  readonly cellWrites = new Map<number, number>()
  private slots = 0

  constructor(private readonly setting: StepSetting) {}

  step(op: Op): ByteStep {
    const { shape } = op
    return shape ? this.shaped(op, shape) : this.byValues(op)
  }

  /** Bytes that are the same for every row. */
  fixed(json: string): ByteStep {
    const bytes = bytesOf(json)
    this.fixedLength += bytes.length
    return (row) => row.fixed(bytes)
  }

  private shaped(op: Op, shape: StepShape): ByteStep {
    switch (shape.kind) {
      case 'sequence':
        return inTurn(shape.steps.map((step) => this.step(step)))
      case 'plain':
        return this.plain(shape)
      case 'when':
        return this.when(shape.branches)
      case 'unless-nothing': {
        const [before, after] = [this.step(shape.before), this.step(shape.after)]
        return (row) => {
          const { at } = row
          before(row)
          if (row.at !== at) after(row)
        }
      }
      case 'without-line-end': {
        const step = this.step(shape.step)
        return (row) => {
          const { at } = row
          step(row)
          if (row.at > at) row.at -= 2
        }
      }
      case 'line':
        return this.line(shape)
      case 'blanks': {
        const write = this.fixed(jsonBytes(shape.text))
        const { length } = jsonBytes(shape.text)
        return (row) => {
          write(row)
          row.blanks += length
        }
      }
      case 'break':
        this.fixedLength += 2
        return (row) => {
          endLine(row, shape.canGo)
          row.lineStart = row.at
          row.blanks = 0
        }
      case 'line-start':
        return (row) => {
          row.lineStart = row.at
          row.blanks = 0
        }
      case 'own-lines': {
        const step = this.step(shape.step)
        return (row) => {
          const { lineStart, blanks } = row
          step(row)
          row.lineStart = lineStart
          row.blanks = blanks
        }
      }
      case 'slot':
        return this.slot(op, shape)
    }
  }

  /** Fixed text and cells that follow one another become one step. A part that needs values is a step of its own. */
  private plain({ parts }: Extract<StepShape, { kind: 'plain' }>): ByteStep {
    const steps: ByteStep[] = []
    let together: PlainPiece[] = []
    for (const part of parts) {
      const piece = part.kind === 'fixed' ? bytesOf(jsonBytes(part.text)) : this.plainValue(part)
      if (typeof piece !== 'function') together.push(piece)
      else {
        steps.push(this.together(together), piece)
        together = []
      }
    }
    return inTurn([...steps, this.together(together)])
  }

  private together(pieces: readonly PlainPiece[]): ByteStep {
    for (const piece of pieces) {
      if (piece instanceof Uint8Array) this.fixedLength += piece.length
      else this.willWrite(piece.column)
    }
    return plainStep(pieces, this.setting.decode)
  }

  /** A value as it stands: text that no row changes, a column, or a step. */
  private plainValue(part: PlainValue): PlainPiece | ByteStep {
    const { originOf, standingRun, plan } = this.setting
    const origin = originOf(part)
    if (typeof origin === 'object') return { column: origin.column.index, isGuarded: part.free && plan.guarded }
    if (origin === 'missing') return bytesOf('')
    const valueIn = ({ values }: Run): unknown =>
      part.field === undefined ? values[part.variable] : (values[part.variable] as Readonly<Record<string, unknown>> | null)?.[part.field]
    const write: Op = (run) => {
      const value = valueIn(run)
      if (typeof value === 'string') run.writeValue(value, part.from)
    }
    if (origin === undefined) return this.byValues(write)
    const value = valueIn(standingRun())
    if (typeof value !== 'string') return bytesOf('')
    return part.free && plan.guarded && isSuspect(value) ? this.byValues(write) : bytesOf(jsonBytes(value))
  }

  private willWrite(column: number): void {
    this.cellWrites.set(column, (this.cellWrites.get(column) ?? 0) + 1)
  }

  /** Writes a cell as it stands. */
  private cell(column: number, isFree: boolean): ByteStep {
    return this.together([{ column, isGuarded: isFree && this.setting.plan.guarded }])
  }

  private when(branches: readonly { readonly test: Test | undefined; readonly body: Op }[]): ByteStep {
    const all = branches.map(({ test, body }) => ({ test: test && this.test(test), body: this.step(body) }))
    const [first] = all
    if (first?.test && all.length === 1) {
      const { test, body } = first
      return (row) => {
        if (test(row)) body(row)
      }
    }
    return (row) => {
      for (let i = 0; i < all.length; i++) {
        const { test, body } = defined(all[i])
        if (test && !test(row)) continue
        body(row)
        return
      }
    }
  }

  /** A line that goes where nothing but fixed spaces was written. */
  private line({ pieces, canGo }: Extract<StepShape, { kind: 'line' }>): ByteStep {
    const step = this.step(pieces)
    this.fixedLength += 2
    return (row) => {
      const { lineStart, blanks } = row
      row.lineStart = row.at
      row.blanks = 0
      step(row)
      endLine(row, canGo)
      row.lineStart = lineStart
      row.blanks = blanks
    }
  }

  private slot(op: Op, { parts, fallback, more }: Extract<StepShape, { kind: 'slot' }>): ByteStep {
    const isOnly = parts.length === 1 && fallback === undefined
    const origins = parts.map((part) => ({ part, origin: part.chain.pure ? this.setting.originOf(part.direct) : undefined }))
    if (origins.every(({ part, origin }) => typeof origin === 'string' && !part.chain.fence)) return this.constant(op)
    const tries = origins.flatMap(({ part, origin }) => {
      if (origin === 'missing') return []
      return [typeof origin === 'object' && isEmptyOnlyIfMissing(part, isOnly) ? { column: origin.column.index, part } : undefined]
    })
    if (!tries.every((item) => item !== undefined)) return this.byValues(op)
    const writes = tries.map(({ column, part }) => ({ column, write: this.value(column, part, more) }))
    const otherwise = fallback === undefined ? undefined : this.fixed(jsonBytes(fallback))
    return (row) => {
      for (let i = 0; i < writes.length; i++) {
        const { column, write } = defined(writes[i])
        if (row.isEmpty(column)) continue
        write(row)
        return
      }
      otherwise?.(row)
    }
  }

  /** Writes a value that is there. */
  private value(column: number, part: SlotPart, more: Extract<StepShape, { kind: 'slot' }>['more']): ByteStep {
    const { plan } = this.setting
    const { chain, type } = part
    const { kind } = type
    if (chain.fence && !chain.apply && kind === 'text' && !plan.nonce) return this.fence(column, part, more)
    const byValue = this.valueByRun(part)
    if (chain.fence || more) return byValue
    if (!chain.apply) {
      if (kind === 'text' || kind === 'choice' || kind === 'date') return this.cell(column, isFreeText(type))
      if (kind !== 'integer' && kind !== 'number') return byValue
      const digits = this.cell(column, false)
      return (row) => (row.isDigits[column] === 1 ? digits(row) : byValue(row))
    }
    if (!chain.pure) return byValue
    const remembered = this.remembered(column, part, byValue)
    const mark = chain.isNumber && (kind === 'integer' || kind === 'number') ? this.thousandsMark() : undefined
    if (!mark) return remembered
    this.willWrite(column)
    return (row) => {
      if (row.isDigits[column] === 1 && defined(row.numbers[column]) >= 0) grouped(row, column, mark)
      else remembered(row)
    }
  }

  /** What stands between thousands, in one byte or several; undefined where numbers are written in another way. */
  private thousandsMark(): Uint8Array | undefined {
    const { locale } = this.setting.standingRun()
    const mark = /^1(\D{0,2})234$/.exec(locale.number(1234, undefined))?.[1]
    if (mark === undefined) return undefined
    const isUsual = PROBES.every((number) => locale.number(number, undefined) === String(number).replace(/\B(?=(?:\d{3})+$)/g, mark))
    return isUsual ? bytesOf(jsonBytes(mark)) : undefined
  }

  /** Text that a column's cell decides, kept by the cell's bytes. */
  private remembered(column: number, { type }: SlotPart, write: ByteStep): ByteStep {
    this.fixedLength += LONGEST_KEPT
    const learned = (row: ByteRow): Uint8Array | undefined => {
      const { at } = row
      write(row)
      return !row.isOdd && row.at - at <= LONGEST_KEPT ? new Uint8Array(row.out.subarray(at, row.at)) : undefined
    }
    if (type.kind === 'date' || type.kind === 'choice' || type.kind === 'list') {
      const place = this.slots++
      return (row) => {
        const { written } = defined(row.known[column])
        const before = written[place]
        if (before) row.fixed(before)
        else written[place] = learned(row)
      }
    }
    const memo = new ByteMemo<Uint8Array>()
    return (row) => {
      const start = defined(row.starts[column])
      const end = defined(row.ends[column])
      const before = memo.find(row.source, start, end)
      if (before) {
        row.fixed(before)
        return
      }
      const text = learned(row)
      if (text) memo.learn(row.source, start, end, text)
    }
  }

  /** A fence around a cell; its further lines begin at the slot's column. */
  private fence(column: number, { chain, text }: SlotPart, more: Extract<StepShape, { kind: 'slot' }>['more']): ByteStep {
    const { decode } = this.setting
    const tag = chain.fence?.tag ?? text.split('.').at(-1) ?? text
    const { lead = '', blank = '' } = more ?? {}
    const open = this.fixed(jsonBytes(`<${tag}>\n`))
    const close = this.fixed(jsonBytes(`\n${lead}</${tag}>`))
    const further = bytesOf(jsonBytes(lead))
    const empty = bytesOf(jsonBytes(blank))
    this.fixedLength += further.length
    this.willWrite(column)
    return (row) => {
      row.isOdd ||= isSuspectCell(row, column, decode)
      open(row)
      row.fixed(further)
      if (more && (defined(row.kinds[column]) & CONTROL) !== 0) indented(row, column, further, empty)
      else row.cell(column)
      close(row)
    }
  }

  private test(test: Test): ByteTest {
    const { shape } = test
    const { runOf, standingRun, originOf } = this.setting
    const origins = shape?.reads.map((direct) => originOf(direct))
    if (!shape || !origins?.every((origin) => origin !== undefined)) return (row) => test(runOf(row))
    const columns = new Set(origins.flatMap((origin) => (typeof origin === 'object' ? [origin.column] : [])))
    const [column, another] = columns
    if (!column) {
      const is = test(standingRun())
      return () => is
    }
    const quick = !another && quickTest(column, shape)
    if (quick) return quick
    return another ? (row) => test(runOf(row)) : this.rememberedTest(column.index, test)
  }

  private rememberedTest(column: number, test: Test): ByteTest {
    const { runOf } = this.setting
    const memo = new ByteMemo<boolean>()
    return (row) => {
      const start = defined(row.starts[column])
      const end = defined(row.ends[column])
      const before = memo.find(row.source, start, end)
      if (before !== undefined) return before
      const is = test(runOf(row))
      if (end - start <= LONGEST_KEPT) memo.learn(row.source, start, end, is)
      return is
    }
  }

  private valueByRun({ get, write }: SlotPart): ByteStep {
    return this.byValues((run) => write(get(run), run))
  }

  /** Runs a step on the row's values, and takes over what it wrote. */
  private byValues(op: Op): ByteStep {
    const { runOf } = this.setting
    return (row) => {
      const run = runOf(row)
      // The step may look at the line under way: at its length, and at nothing else.
      const before = ' '.repeat(row.at - row.lineStart)
      run.out = before
      run.lineStart = ''
      run.blanks = row.blanks
      op(run)
      row.isOdd ||= run.suspect || run.attached || run.lineStart !== '' || run.out.length < before.length
      row.blanks = run.blanks
      row.text(run.out.slice(before.length))
    }
  }

  /** What a step writes in every row. */
  private constant(op: Op): ByteStep {
    const run = this.setting.standingRun()
    run.out = ''
    op(run)
    return run.suspect ? this.byValues(op) : this.fixed(run.out)
  }
}

function inTurn(steps: readonly ByteStep[]): ByteStep {
  const [first, second, third] = steps
  if (!first) return () => undefined
  if (!second) return first
  if (!third)
    return (row) => {
      first(row)
      second(row)
    }
  return (row) => {
    for (let i = 0; i < steps.length; i++) defined(steps[i])(row)
  }
}

function endLine(row: ByteRow, canGo: boolean): void {
  if (canGo && row.at - row.lineStart === row.blanks) row.at = row.lineStart
  else {
    row.out[row.at++] = BACKSLASH
    row.out[row.at++] = LETTER_N
  }
}

const PROBES = [0, 7, 10, 999, 1000, 12_345, 123_456, 1_234_567, 987_654_321, 999_999_999_999_999]

/** Writes digits in groups of three. */
function grouped(row: ByteRow, column: number, mark: Uint8Array): void {
  const { source, out } = row
  const end = defined(row.ends[column])
  let left = end - defined(row.starts[column])
  for (let i = end - left; i < end; i++) {
    out[row.at++] = defined(source[i])
    if (--left > 0 && left % 3 === 0) row.fixed(mark)
  }
}

/** Writes a cell of several lines. */
function indented(row: ByteRow, column: number, lead: Uint8Array, blank: Uint8Array): void {
  const { source } = row
  const end = defined(row.ends[column])
  let from = defined(row.starts[column])
  for (let i = from; i < end; i++) {
    if (source[i] !== FEED) continue
    let next = i + 1
    while (next < end && (source[next] === SPACE || source[next] === TAB)) next++
    row.part(column, from, i + 1)
    from = i + 1
    row.atLeast(2 * (end - from) + lead.length)
    row.fixed(next === end || source[next] === FEED ? blank : lead)
  }
  row.part(column, from, end)
}

/** Whether a value is empty just where its cell is: a list may be, whose cell has separators alone. */
function isEmptyOnlyIfMissing({ type: { kind } }: SlotPart, isOnly: boolean): boolean {
  return kind === 'list' ? isOnly : ['text', 'choice', 'date', 'date-time', 'integer', 'number'].includes(kind)
}

/** A comparison that is decided by a number, or by whether the cell is empty. */
function quickTest({ index, declared }: Column, { reads, simple }: TestShape): ByteTest | undefined {
  if (!simple || reads.length > 1) return undefined
  const { kind } = declared.type
  if (simple.kind === 'present')
    return ['text', 'choice', 'date', 'integer', 'number'].includes(kind) ? (row) => !row.isEmpty(index) : undefined
  if (kind !== 'integer' && kind !== 'number') return undefined
  const { than } = simple
  const number = (row: ByteRow) => (row.isEmpty(index) ? NaN : defined(row.numbers[index]))
  switch (simple.kind) {
    case '<':
      return (row) => number(row) < than
    case '<=':
      return (row) => number(row) <= than
    case '>':
      return (row) => number(row) > than
    case '>=':
      return (row) => number(row) >= than
  }
}
