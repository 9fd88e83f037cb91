import { createReadStream } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { problem, ProblemError } from 'dunelight'
import { parse } from 'yaml'
import { readCsv } from './csv.js'
import { reason } from './reason.js'
import { Utf8Chunks } from './utf8.js'

/** Some rows of a table, their headings with them: where records name further keys, later ones have more. */
export interface TableRows {
  readonly headings: readonly string[]
  readonly rows: readonly (readonly string[])[]
  readonly bytesRead: number
}

/**
 * Reads a table by its ending: CSV and JSON Lines chunk by chunk, JSON and YAML lists whole. Values of records become cells: lists and records
 * within as JSON.
 *
 * @throws ProblemError where the file cannot be read, or holds no table.
 */
export async function* readTable(path: string): AsyncGenerator<TableRows> {
  if (/\.(?:jsonl|json|yaml)$/i.test(path)) yield* recordsTable(path, readList(path, 'records'))
  else yield* csvTable(path)
}

/** Plain data one after another: JSON Lines chunk by chunk, a list in JSON or YAML whole. `of` says in a fault what it should hold. */
export function readList(path: string, of: string): AsyncGenerator<ListChunk> {
  return /\.jsonl$/i.test(path) ? jsonLines(path) : listed(path, of)
}

async function* csvTable(path: string): AsyncGenerator<TableRows> {
  let headings: readonly string[] | undefined
  for await (const { rows, bytesRead } of readCsv(path)) {
    const first = headings === undefined ? rows[0] : undefined
    headings ??= (first ?? []).map((cell) => cell.trim())
    yield { headings, rows: first ? rows.slice(1) : rows, bytesRead }
  }
  if (!headings) throw new ProblemError([problem('table-empty', { file: path })])
}

export interface ListChunk {
  readonly items: readonly unknown[]
  readonly bytesRead: number
}

async function* recordsTable(path: string, source: AsyncIterable<ListChunk>): AsyncGenerator<TableRows> {
  let headings: string[] = []
  const known = new Set<string>()
  let row = 0
  for await (const { items, bytesRead } of source) {
    if (items.length === 0) continue
    const found = items.map((one) => {
      row++
      if (typeof one === 'object' && one !== null && !Array.isArray(one)) return one as Record<string, unknown>
      throw new ProblemError([problem('file-unreadable', { file: path, why: `row ${row} is no record` })])
    })
    const further = new Set(found.flatMap((one) => Object.keys(one)).filter((key) => !known.has(key)))
    if (further.size > 0) headings = [...headings, ...further]
    for (const key of further) known.add(key)
    yield { headings, rows: found.map((one) => headings.map((key) => cellOf(Object.hasOwn(one, key) ? one[key] : undefined))), bytesRead }
  }
  if (row === 0) throw new ProblemError([problem('table-empty', { file: path })])
}

/** A value as a table's cell. */
export function cellOf(value: unknown): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'string') return value
  return typeof value === 'number' || typeof value === 'boolean' || typeof value === 'bigint' ? value.toString() : JSON.stringify(value)
}

async function* listed(path: string, of: string): AsyncGenerator<ListChunk> {
  const text = await readFile(path, 'utf8').catch((fault: unknown) => unreadable(path, reason(fault)))
  let data: unknown
  try {
    data = parse(text)
  } catch (fault) {
    unreadable(path, fault instanceof Error ? fault.message.split('\n')[0]! : String(fault))
  }
  if (!Array.isArray(data)) unreadable(path, `it holds no list of ${of}`)
  yield { items: data, bytesRead: text.length }
}

function unreadable(file: string, why: string): never {
  throw new ProblemError([problem('file-unreadable', { file, why })])
}

/** A line longer than this is no record. */
const LONGEST_LINE = 64 * 1024 * 1024

async function* jsonLines(path: string): AsyncGenerator<ListChunk> {
  const decoder = new Utf8Chunks(path)
  let rest = ''
  let bytesRead = 0
  let line = 0
  const read = (lines: readonly string[]): unknown[] =>
    lines.flatMap((text) => {
      line++
      if (text.trim() === '') return []
      try {
        return [JSON.parse(text) as unknown]
      } catch (fault) {
        return unreadable(path, `line ${line} is no JSON (${fault instanceof Error ? fault.message : ''})`)
      }
    })
  try {
    for await (const chunk of createReadStream(path, { highWaterMark: 64 * 1024 }) as AsyncIterable<Buffer>) {
      bytesRead += chunk.length
      const lines = (rest + decoder.decode(chunk)).split(/\r\n|\r|\n/)
      rest = lines.pop() ?? ''
      if (rest.length > LONGEST_LINE) unreadable(path, `line ${line + lines.length + 1} is longer than ${LONGEST_LINE} signs`)
      yield { items: read(lines), bytesRead }
    }
    const last = read([rest + decoder.end()])
    if (last.length > 0) yield { items: last, bytesRead }
  } catch (fault) {
    if (fault instanceof ProblemError) throw fault
    unreadable(path, reason(fault))
  }
}
