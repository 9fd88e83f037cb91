import { JSONParser } from '@streamparser/json'
import { exactNumber, isDeeper, parseJson, problem, ProblemError } from 'dunelight'
import { parse } from 'yaml'
import { decoded, type Bytes, type DecodeOptions, type Stretch } from './decode.js'
import { Misread } from './misread.js'
import { DEEPEST } from './records.js'
import type { ListItems } from './table.js'

/** A line longer than this is no record. */
const LONGEST_LINE = 16 * 1024 * 1024

/**
 * JSON Lines: one item a line, blank lines passed over. A line that cannot be read is a `Misread`, and those after it are read.
 *
 * @throws ProblemError where the bytes are no text.
 */
export async function* jsonLines(source: Bytes, options: DecodeOptions): AsyncGenerator<ListItems> {
  let rest = ''
  let mends: Stretch['mend']
  let line = 0
  let bytesRead = 0
  const read = (raw: string): unknown => {
    line++
    return itemOf(mends ? mends(raw) : raw, line)
  }
  const items = (lines: readonly string[]) => lines.map(read).filter((one) => one !== undefined)
  for await (const { text, mend, bytesRead: far } of decoded(source, options)) {
    bytesRead = far
    mends = mend
    const lines = text.split('\n')
    lines[0] = rest + lines[0]!
    rest = lines.pop()!
    if (rest.length > LONGEST_LINE)
      throw new ProblemError([problem('line-endless', { file: options.name, line: line + lines.length + 1, limit: LONGEST_LINE })])
    yield { items: items(lines), bytesRead }
  }
  const last = items([rest])
  if (last.length > 0) yield { items: last, bytesRead }
}

/** Undefined for a blank line. */
function itemOf(text: string, line: number): unknown {
  try {
    const item = parseJson(text)
    if (isDeeper(item, DEEPEST)) return new Misread(problem('row-too-deep', { row: line, limit: DEEPEST }), text)
    return item
  } catch (fault) {
    if (text.trim() === '') return undefined
    return new Misread(problem('line-unreadable', { line, why: faultOf(fault, text) }), text)
  }
}

/** What the engine says of a line, without what it repeats of it. */
function faultOf(fault: unknown, text: string): string {
  if (!text.trimStart().startsWith('{')) return 'it does not begin with {'
  const says = fault instanceof Error ? fault.message : ''
  if (/end of JSON|Unterminated|end of data/i.test(says)) return 'it ends before it is closed'
  const place = /position (\d+)/.exec(says)?.[1]
  return place === undefined ? 'a sign is out of place' : `a sign is out of place at ${Number(place) + 1}`
}

/** How many items are handed on at a time. */
const SOME = 512

/**
 * A JSON list, an item at a time: the list is never held.
 *
 * @throws ProblemError where it is no JSON list.
 */
export async function* jsonList(source: Bytes, options: DecodeOptions & { readonly of: string }): AsyncGenerator<ListItems> {
  const { name, of } = options
  let items: unknown[] = []
  let bytesRead = 0
  let begun = false
  let count = 0
  const parser = new JSONParser({ paths: ['$.*'], keepStack: false })
  const faults: string[] = []
  keepDigits(parser)
  parser.onValue = ({ value }) => void items.push(value)
  parser.onError = (fault) => void faults.push(fault.message)
  for await (const { text, mend, bytesRead: far } of decoded(source, options)) {
    bytesRead = far
    if (!begun && text.trim() !== '') {
      begun = true
      if (!text.trimStart().startsWith('[')) unreadable(name, `it holds no list of ${of}`)
    }
    if (!parser.isEnded) parser.write(mend ? mend(text) : text)
    else if (text.trim() !== '') unreadable(name, 'something stands behind its list')
    if (faults.length > 0) unreadable(name, plain(faults[0]!, count + items.length))
    if (items.length >= SOME) {
      count += items.length
      yield { items, bytesRead }
      items = []
    }
  }
  if (!begun) return
  if (!parser.isEnded) unreadable(name, 'its list is never closed')
  if (items.length > 0) yield { items, bytesRead }
}

/** Numbers beyond what a double holds keep their digits. */
function keepDigits(parser: JSONParser): void {
  const { tokenizer } = parser as unknown as { tokenizer: { parseNumber: (text: string) => number | string } }
  tokenizer.parseNumber = exactNumber
}

/** The parser's fault in our words. */
function plain(message: string, items: number): string {
  if (message.includes('in state ENDED')) return 'something stands behind its list'
  const sign = /Unexpected (?:[A-Z_]+ \()?"(.+?)"/.exec(message)?.[1]
  return `it is no JSON: ${sign === undefined ? 'a sign' : JSON.stringify(sign)} is out of place, behind item ${items}`
}

/** A YAML list, which cannot be read in pieces. */
const LARGEST_YAML = 64 * 1024 * 1024

/** @throws ProblemError where it is no YAML list. */
export async function* yamlList(source: Bytes, options: DecodeOptions & { readonly of: string }): AsyncGenerator<ListItems> {
  const { name, of } = options
  let text = ''
  let bytesRead = 0
  for await (const stretch of decoded(source, options)) {
    text += stretch.mend ? stretch.mend(stretch.text) : stretch.text
    bytesRead = stretch.bytesRead
    if (bytesRead > LARGEST_YAML) unreadable(name, 'a list in YAML is held whole, and this one is too large; save it as JSON Lines')
  }
  let data: unknown
  try {
    data = parse(text, (_, value: unknown) => (typeof value === 'bigint' ? exactNumber(String(value)) : value), { intAsBigInt: true })
  } catch (fault) {
    unreadable(name, fault instanceof Error ? fault.message.split('\n')[0]! : String(fault))
  }
  if (data === null || data === undefined) return
  if (!Array.isArray(data)) unreadable(name, `it holds no list of ${of}`)
  yield { items: data, bytesRead }
}

function unreadable(file: string, why: string): never {
  throw new ProblemError([problem('file-unreadable', { file, why })])
}
