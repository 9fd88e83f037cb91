import { defined } from '../../invariant.js'
import { matchLine, type MatchedLine } from './match.js'
import { findJson } from '../json/find.js'
import { Loosening } from '../json/loosen.js'
import { passageFields, readPassage } from '../passages.js'
import { asking, type Instruction } from '../kind.js'
import type { Reading } from '../reading.js'
import { bareText, ownText, passagesOf, type RowsShape } from '../shape.js'
import { boundsInWords } from '../../interop/to-schema.js'
import { problem } from '../../problems/problem.js'
import { clip, isRecord, own, put } from '../../values/data.js'
import { foldHeading } from '../../values/row.js'

export function instructRows(shape: RowsShape): Instruction {
  const count = boundsInWords(shape.min, shape.max, 'line', 'lines')
  const lines = count === '' ? 'lines' : shape.min === shape.max ? `exactly ${count}` : count
  const asks = `Answer with ${lines} and nothing else, each in this form:`
  if (shape.show !== 'description') return { asks, gap: '\n', own: ownText(shape) }
  const bullets = passagesOf(shape).map(
    ({ name, type, guidance }) => `- ${name}: ${[type, guidance].filter((part) => part !== '').join(', ')}`,
  )
  return asking(`${asks}\n${bareText(shape)}\n${bullets.join('\n')}`)
}

interface Line {
  readonly text: string
  readonly start: number
  readonly blank: boolean
  readonly matched: MatchedLine | undefined
}

/** Reads a reply as rows: a list of records, one a line, in a record of one field. */
export function readRows(shape: RowsShape, reading: Reading): unknown {
  const lines = linesOf(reading.text)
  const inOtherForm = rowsInJson(shape, reading) ?? rowsInTable(shape, lines, reading)
  if (inOtherForm) return inOtherForm
  const mark = markOf(shape, lines)
  const plain = matched(shape, lines)
  const bare =
    mark &&
    matched(
      shape,
      lines.map((line) => withoutMark(line, mark)),
    )
  // What looks like a mark may be the beginning of the row: then fewer rows match without it.
  const isMarked = bare !== undefined && countMatched(bare) >= countMatched(plain)
  const all = isMarked ? bare : plain
  if (isMarked) reading.repair('marks', `the rows are ${mark === NUMBERED ? 'numbered' : 'bulleted'}`)
  const rows = withoutProse(all, reading)
  const records = rows.map((line, i) => recordOf(shape, line, i + 1, reading))
  return wholeRows(shape, records, reading)
}

function matched({ segments }: RowsShape, lines: readonly Line[]): Line[] {
  return lines.map((line) => (line.blank ? line : { ...line, matched: matchLine(segments, line.text) }))
}

function countMatched(lines: readonly Line[]): number {
  return lines.filter((line) => line.matched).length
}

function linesOf(text: string): Line[] {
  let position = 0
  return text.split('\n').map((line) => {
    const start = position
    position += line.length + 1
    return { text: line.trim(), start: start + line.length - line.trimStart().length, blank: line.trim() === '', matched: undefined }
  })
}

const NUMBERED = /^(?:\*\*)?(\d{1,4})[.):]\s+/
const BULLETED = /^[-*+•–]\s+/

/** Marks before rows that were not asked for: all of them bulleted, or numbered from 1. */
function markOf({ segments }: RowsShape, lines: readonly Line[]): RegExp | undefined {
  const [first] = segments
  if (first?.kind === 'passage') {
    // The number before a row may be its first passage.
    const isOwn = (line: Line) => {
      const match = matchLine(segments, line.text)
      return match?.exact === true && readPassage(first, match.passages.get(first.name) ?? '').faults.length === 0
    }
    const numbered = lines.filter((line) => NUMBERED.test(line.text))
    if (first.type !== 'text' && numbered.length > 0 && numbered.every(isOwn)) return undefined
  } else if (/^\s*(?:[-*+•–]|\d+[.):])\s/.test(first?.text ?? '')) return undefined
  const full = lines.filter((line) => !line.blank)
  const bulleted = full.filter((line) => BULLETED.test(line.text))
  if (bulleted.length > 0 && bulleted.length >= full.length - 2) return BULLETED
  const numbers = full.flatMap((line) => NUMBERED.exec(line.text)?.[1] ?? [])
  const inOrder = numbers.every((number, i) => Number(number) === i + 1)
  return numbers.length > 0 && inOrder && numbers.length >= full.length - 2 ? NUMBERED : undefined
}

function withoutMark(line: Line, mark: RegExp): Line {
  const match = mark.exec(line.text)?.[0] ?? ''
  return { ...line, text: line.text.slice(match.length), start: line.start + match.length }
}

/**
 * The lines that are rows, or should be: words before the first and after the last of them are dropped. A line right after the
 * last row, without an empty line, is not prose but a row that broke off.
 */
function withoutProse(lines: readonly Line[], reading: Reading): Line[] {
  const first = lines.findIndex((line) => line.matched)
  const last = lines.findLastIndex((line) => line.matched)
  if (first < 0) return lines.filter((line) => !line.blank)
  let end = last + 1
  while (end < lines.length && !defined(lines[end]).blank && !FENCE.test(defined(lines[end]).text)) end++
  const before = lines.slice(0, first).filter((line) => !line.blank)
  const leads =
    before.every((line) => FENCE.test(line.text)) || lines[first - 1]?.blank === true || /[:.!]$/.test(before.at(-1)?.text ?? '')
  const start = leads ? first : 0
  const around = [...lines.slice(0, start), ...lines.slice(end)].filter((line) => !line.blank)
  const fenced = around.filter((line) => FENCE.test(line.text)).length
  if (fenced > 0) reading.repair('fence', 'the rows are in a code fence')
  if (around.length > fenced) reading.repair('prose', 'there is text around the rows')
  return lines.slice(start, end).filter((line) => !line.blank)
}

const FENCE = /^(?:```|~~~)/

function recordOf(shape: RowsShape, { text, start, matched }: Line, row: number, reading: Reading): Record<string, unknown> | undefined {
  const span = reading.span(start, start + text.length)
  if (!matched) {
    reading.report(problem('reply-row-invalid', { row, why: `does not match the row pattern: "${clip(text, 60)}"` }, span))
    return undefined
  }
  if (!matched.exact) reading.repair('case', `row ${row} differs from the row pattern in case, spaces or look-alike characters`, span)
  const record: Record<string, unknown> = {}
  let sound = true
  for (const segment of passagesOf(shape)) {
    const { value, faults } = readPassage(segment, matched.passages.get(segment.name) ?? '')
    for (const fault of faults) reading.report(problem('reply-row-invalid', { row, why: `"${segment.name}" ${fault}` }, span))
    sound &&= faults.length === 0
    put(record, segment.name, value)
  }
  return sound ? record : undefined
}

/** Rows that came as a Markdown table or as CSV, under the names of the passages. */
function rowsInTable(shape: RowsShape, lines: readonly Line[], reading: Reading): unknown {
  const names = passagesOf(shape).map(({ name }) => ({ name, folded: foldHeading(name) }))
  if (names.length < 2) return undefined
  const isHead = (line: Line) => {
    if (!/[|,;]/.test(line.text)) return false
    const headings = cellsOf(line).map(foldHeading)
    return names.every(({ folded }) => headings.includes(folded))
  }
  const head = lines.findIndex(isHead)
  if (head < 0) return undefined
  const headings = cellsOf(defined(lines[head])).map(foldHeading)
  const rows = lines.slice(head + 1).filter((line) => !line.blank && !FENCE.test(line.text) && !/^[|:\s-]+$/.test(line.text))
  reading.repair('table', 'the rows are in a table')
  const records = rows.map((line, i) => {
    const cells = cellsOf(line)
    const passages = new Map(names.map(({ name, folded }) => [name, cells[headings.indexOf(folded)] ?? '']))
    const matched = cells.length === headings.length ? { exact: true, passages } : undefined
    return recordOf(shape, { ...line, matched }, i + 1, reading)
  })
  return wholeRows(shape, records, reading)
}

function cellsOf({ text }: Line): string[] {
  return text.startsWith('|') ? markdownCells(text) : csvCells(text)
}

/** The cells of a line of a Markdown table; `\|` is a bar. */
function markdownCells(line: string): string[] {
  return line
    .replace(/^\||(?<!\\)\|$/g, '')
    .split(/(?<!\\)\|/)
    .map((cell) => cell.trim().replaceAll('\\|', '|'))
}

const COMMA_CELL = /(?:^|,)(?:"((?:[^"]|"")*)"|([^",]*))/gy
const SEMICOLON_CELL = /(?:^|;)(?:"((?:[^"]|"")*)"|([^";]*))/gy

/** The cells of a line of CSV: RFC 4180, with a comma or a semicolon. */
function csvCells(line: string): string[] {
  const cells = line.matchAll(line.includes(',') ? COMMA_CELL : SEMICOLON_CELL)
  return [...cells].map(([, quoted, plain]) => (quoted?.replaceAll('""', '"') ?? plain ?? '').trim())
}

/** The rows that could be read, if there are as many as wanted. */
function wholeRows(shape: RowsShape, records: readonly (Record<string, unknown> | undefined)[], reading: Reading): unknown {
  const whole = records.filter((record) => record !== undefined)
  const answer = { rows: whole }
  reading.partial = answer
  checkCount(shape, whole.length, reading)
  return answer
}

function checkCount({ min, max }: RowsShape, count: number, reading: Reading): void {
  if (min !== undefined && count < min) reading.report(problem('reply-rows-count', { count, detail: `fewer than ${min}` }))
  if (max !== undefined && count > max) reading.report(problem('reply-rows-count', { count, detail: `more than ${max}` }))
}

/** Rows that came as JSON: a list of objects, or an object that holds one. */
function rowsInJson(shape: RowsShape, reading: Reading): unknown {
  const { text } = reading
  if (!/^\s*(?:```\w*\s*)?[[{]/.test(text) || matchLine(shape.segments, defined(text.trim().split('\n')[0]))?.exact) return undefined
  const [loose] = findJson(text)
  const list = Array.isArray(loose?.value) ? loose.value : own(loose?.value, 'rows')
  if (!loose || loose.cut || !Array.isArray(list) || !list.every(isRecord)) return undefined
  if (shape.show !== 'json-schema') reading.repair('json', 'the rows are in JSON')
  const fields = passageFields(shape.segments)
  const loosening = new Loosening(reading, () => undefined, false)
  const records = list.map((item, i) => {
    const record = loosening.record(item, fields, ['rows', String(i + 1)])
    const written: Line = { text: text.slice(loose.start, loose.end), start: loose.start, blank: false, matched: undefined }
    return recordOf(
      shape,
      { ...written, matched: { exact: true, passages: new Map(Object.entries(record).map(([name, value]) => [name, String(value)])) } },
      i + 1,
      reading,
    )
  })
  return wholeRows(shape, records, reading)
}
