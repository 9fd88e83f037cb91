import { stat } from 'node:fs/promises'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'
import { unreadable, type TableRows } from '@dunelight/tables'

/** Rows read at a time, within a row group. */
const SOME = 4096

/** A Parquet file, a part of a row group at a time. */
export async function* parquetTable(path: string): AsyncGenerator<TableRows> {
  const { asyncBufferFromFile, parquetMetadataAsync, parquetRead, parquetSchema } = await import('hyparquet/src/node.js')
  const { compressors } = await import('hyparquet-compressors')
  const { size } = await stat(path)
  const file = await asyncBufferFromFile(path)
  const metadata = await parquetMetadataAsync(file).catch(() => unreadable(path, 'it is not a Parquet file, or it is damaged'))
  const headings = parquetSchema(metadata).children.map((child) => child.element.name)
  if (headings.length === 0) throw new ProblemError([problem('table-empty', { file: path })])
  const total = Number(metadata.num_rows)
  if (total === 0) yield { headings, rows: [], bytesRead: size }
  for (let start = 0; start < total; start += SOME) {
    const end = Math.min(start + SOME, total)
    let rows: unknown[][] = []
    await parquetRead({ file, metadata, compressors, rowStart: start, rowEnd: end, onComplete: (read) => (rows = read as unknown[][]) })
    yield { headings, rows: rows.map((row) => row.map(plain)), bytesRead: Math.round((size * end) / total) }
  }
}

/** The values of Parquet as plain data: whole numbers that fit are numbers. */
function plain(value: unknown): unknown {
  if (typeof value === 'bigint') return Number.isSafeInteger(Number(value)) ? Number(value) : value
  if (value instanceof Uint8Array) return Buffer.from(value).toString('utf8')
  if (Array.isArray(value)) return value.map(plain)
  if (typeof value !== 'object' || value === null || value instanceof Date) return value
  return Object.fromEntries(Object.entries(value).map(([key, value]) => [key, plain(value)]))
}
