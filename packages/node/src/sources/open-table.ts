import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { ProblemError, type Problem } from 'dunelight'
import { problem, TABLE_FORMATS, type TableFormat } from 'dunelight/host'
import {
  readTextList,
  readTextTable,
  recordsTable,
  textFormatOf,
  unreadable,
  type ListItems,
  type TableRows,
  type TextFormat,
} from '@dunelight/tables'
import { reason } from '../output/reason.js'
import { byteText } from './byte-text.js'
import { readableBytes } from './encoding.js'

/** A table in a file. `from` is its path, or `-` for standard input. */
export interface TableFile {
  readonly from: string
  /** For a file whose ending does not name its format. */
  readonly format?: TableFormat
  /** The sheet of a spreadsheet. Default: the first. */
  readonly sheet?: string
  /** What is asked of a database. */
  readonly query?: string
  /** The encoding of a text, such as `windows-1250` or `shift_jis`. Default: detected. */
  readonly encoding?: string
}

/** A table: a file's path, a file with options, or records of a program. */
export type TableSource = string | TableFile | Iterable<object> | AsyncIterable<object>

export interface TableOptions {
  /** Hears what is worth knowing of a table that could be read all the same. */
  readonly notice?: (problem: Problem) => void
  /** Headings of a list of records that are known before it is read. */
  readonly known?: readonly string[]
}

/** How much is read of a text at once. */
const CHUNK = 64 * 1024
const TYPED: Readonly<Record<string, TableFormat>> = {
  xlsx: 'xlsx',
  parquet: 'parquet',
  sqlite: 'sqlite',
  sqlite3: 'sqlite',
  db: 'sqlite',
}
/** Files that are tables, but of no kind that is read here. */
const OTHERS: Readonly<Record<string, string>> = {
  xls: 'it is a spreadsheet of the older kind; save it as .xlsx or CSV',
  ods: 'it is a spreadsheet of another kind; save it as .xlsx or CSV',
  gz: 'it is packed; unpack it first',
  zip: 'it is packed; unpack it first',
  pdf: 'it is a document, no table',
}

/**
 * Reads a table in parts, so memory does not grow with it: CSV, TSV, JSON Lines, JSON and YAML lists, XLSX, Parquet, SQLite,
 * standard input, or the records of a program.
 *
 * @param source - A path, a path with a sheet or query, or records.
 * @param options - The name in messages, and a listener for warnings.
 * @returns The parts: headings, and rows as lists of cells.
 * @throws ProblemError if the table cannot be read or has no headings.
 * @example
 * const parts = []
 * for await (const part of readTable('demo/marram-house/data/objects.csv')) parts.push(part)
 * parts[0].headings.length > 3 // => true
 */
export function readTable(source: TableSource, options: TableOptions = {}): AsyncGenerator<TableRows> {
  if (typeof source !== 'string' && !('from' in source)) return recordsTable(itemsOf(source), 'the records', options)
  const file = typeof source === 'string' ? { from: source } : source
  return inWords(file.from, openFile(file, options))
}

/** Plain data one after another: a list in JSON Lines, JSON or YAML. `of` names the expected content in an error. */
export function readList(path: string, of: string): AsyncGenerator<ListItems> {
  const format = textFormatOf(path)
  if (format === undefined || format === 'csv' || format === 'tsv') return unreadable(path, 'it is not a list in JSON Lines, JSON or YAML')
  return inWords(path, readTextList(bytesOf(path), format, { name: path, byteText, of }))
}

/** Whether its rows can be cut out of the file as they stand: lines of text. */
export function formatOf({ from, format }: TableFile): TableFormat | undefined {
  if (format !== undefined) return format
  const ending = /\.(\w+)$/.exec(from)?.[1]?.toLowerCase() ?? ''
  return textFormatOf(from) ?? TYPED[ending]
}

async function* openFile(file: TableFile, options: TableOptions): AsyncGenerator<TableRows> {
  const { from, sheet, query } = file
  if (file.format !== undefined && !TABLE_FORMATS.includes(file.format))
    throw new ProblemError([problem('table-format-unknown', { name: file.format, known: [...TABLE_FORMATS] })])
  const format = formatOf(file)
  if (sheet !== undefined && format !== 'xlsx') unreadable(from, 'only spreadsheets have sheets')
  if (file.encoding !== undefined && format !== undefined && textFormatOf(`x.${format}`) === undefined)
    unreadable(from, 'only texts have an encoding')
  if (query !== undefined && format !== 'sqlite') unreadable(from, 'only databases have queries')
  if (from === '-') {
    yield* fromStdin(file, format, options)
    return
  }
  const other = OTHERS[/\.(\w+)$/.exec(from)?.[1]?.toLowerCase() ?? '']
  if (format === undefined && other !== undefined) unreadable(from, other)
  const stats = await stat(from)
  if (stats.isDirectory()) unreadable(from, 'it is a folder')
  if (stats.isFIFO()) options.notice?.(problem('pipe-waits', { file: from }))
  switch (format) {
    case 'xlsx':
      yield* (await import('./xlsx.js')).xlsxTable(from, sheet)
      return
    case 'parquet':
      yield* (await import('./parquet.js')).parquetTable(from)
      return
    case 'sqlite':
      yield* (await import('./sqlite.js')).sqliteTable(from, query)
      return
    default:
      yield* readTextTable(await readableBytes(file, bytesOf(from), options.notice), format ?? 'csv', { ...options, name: from, byteText })
  }
}

async function* fromStdin(file: TableFile, text: TableFormat | undefined, options: TableOptions): AsyncGenerator<TableRows> {
  const { format, bytes } = await standardInput(text)
  yield* readTextTable(await readableBytes(file, bytes), format, { ...options, name: STDIN, byteText })
}

const STDIN = 'standard input'

/** What comes by standard input, and the format that it has. */
export async function standardInput(format: TableFormat | undefined): Promise<{ format: TextFormat; bytes: AsyncIterable<Uint8Array> }> {
  if (format === 'xlsx' || format === 'parquet' || format === 'sqlite') unreadable(STDIN, `${format} is not read from there; name the file`)
  if (process.stdin.isTTY) unreadable(STDIN, 'there is no input; write "… | dunelight …" or name a file')
  const { first, whole } = await peeked(process.stdin)
  return { format: format ?? guessed(first), bytes: whole }
}

/** A list begins with a bracket, lines of records with a brace, and all else is a table of text. */
function guessed(first: Uint8Array): TextFormat {
  const character = /[^\s\u00ef\u00bb\u00bf]/.exec(byteText.text(first.subarray(0, 4096)))?.[0]
  return character === '[' ? 'json' : character === '{' ? 'jsonl' : 'csv'
}

async function peeked(source: AsyncIterable<Uint8Array>): Promise<{ first: Uint8Array; whole: AsyncIterable<Uint8Array> }> {
  const chunks = source[Symbol.asyncIterator]()
  const begun = await chunks.next()
  const first = begun.done ? new Uint8Array(0) : begun.value
  const whole = async function* () {
    yield first
    for (let next = await chunks.next(); !next.done; next = await chunks.next()) yield next.value
  }
  return { first, whole: whole() }
}

function bytesOf(path: string): AsyncIterable<Uint8Array> {
  return createReadStream(path, { highWaterMark: CHUNK }) as AsyncIterable<Buffer>
}

/** How many records of a program are passed on at a time. */
const SOME = 512

async function* itemsOf(source: Iterable<object> | AsyncIterable<object>): AsyncGenerator<ListItems> {
  let items: object[] = []
  for await (const item of source) {
    items.push(item)
    if (items.length < SOME) continue
    yield { items, bytesRead: 0 }
    items = []
  }
  if (items.length > 0) yield { items, bytesRead: 0 }
}

/** Faults of the platform as problems that name the file. */
async function* inWords<T>(file: string, source: AsyncGenerator<T>): AsyncGenerator<T> {
  try {
    yield* source
  } catch (fault) {
    throw fault instanceof ProblemError
      ? fault
      : new ProblemError([problem('file-unreadable', { file, why: reason(fault) })], { cause: fault })
  }
}
