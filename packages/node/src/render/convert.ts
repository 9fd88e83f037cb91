import { createReadStream } from 'node:fs'
import { rename, writeFile } from 'node:fs/promises'
import { extname } from 'node:path'
import { createInterface } from 'node:readline'
import { ProblemError } from 'dunelight'
import { problem } from 'dunelight/host'

/** A spreadsheet is built in memory, and readers limit its rows. */
const LONGEST_SHEET = 100_000
/** The limit of characters in one cell of a spreadsheet. */
const LONGEST_CELL = 32_767
const ROW_GROUP = 20_000

/** Converts the lines of cells of a run to its output format. A half-written file is written again. */
export async function convert(lines: string, to: string): Promise<void> {
  const ending = extname(to).toLowerCase()
  if (ending === '.xlsx') await toSpreadsheet(lines, `${to}.new`)
  else await toParquet(lines, `${to}.new`)
  await rename(`${to}.new`, to)
}

async function* cellsOf(path: string): AsyncGenerator<readonly unknown[]> {
  for await (const line of createInterface({ input: createReadStream(path, 'utf8'), crlfDelay: Infinity }))
    yield JSON.parse(line) as unknown[]
}

async function toSpreadsheet(lines: string, to: string): Promise<void> {
  const [{ default: writeSheet }, { unzipSync, zipSync }] = await Promise.all([import('write-excel-file/node'), import('fflate')])
  const rows: (string | number | boolean | null)[][] = []
  for await (const cells of cellsOf(lines)) {
    if (rows.length > LONGEST_SHEET) throw new ProblemError([problem('sheet-too-long', { limit: LONGEST_SHEET })])
    rows.push(cells.map(sheetCell))
  }
  const bytes = await writeSheet(rows).toBuffer()
  // Packed once more without the time of day: the same records give the same bytes.
  await writeFile(to, zipSync(unzipSync(bytes), { mtime: new Date(1980, 0, 1) }))
}

function sheetCell(value: unknown): string | number | boolean | null {
  if (value === null || value === undefined || typeof value === 'number' || typeof value === 'boolean') return value ?? null
  const text = typeof value === 'string' ? value : JSON.stringify(value)
  return text.length > LONGEST_CELL ? `${text.slice(0, LONGEST_CELL - 1)}…` : text
}

async function toParquet(lines: string, to: string): Promise<void> {
  const { fileWriter, ParquetWriter } = await import('hyparquet-writer')
  let names: readonly string[] = []
  let writer: InstanceType<typeof ParquetWriter> | undefined
  let rows: (readonly unknown[])[] = []
  const flush = async () => {
    const columnData = names.map((name, i) => ({ name, data: rows.map((row) => textCell(row[i])), type: 'STRING' as const }))
    if (rows.length > 0) await writer?.write({ columnData, rowGroupSize: ROW_GROUP })
    rows = []
  }
  for await (const cells of cellsOf(lines)) {
    if (writer) {
      if (rows.push(cells) === ROW_GROUP) await flush()
      continue
    }
    names = cells.map(String)
    const column = { type: 'BYTE_ARRAY', converted_type: 'UTF8', repetition_type: 'OPTIONAL' } as const
    const schema = [{ name: 'root', num_children: names.length }, ...names.map((name) => ({ name, ...column }))]
    writer = new ParquetWriter({ writer: fileWriter(to), schema })
  }
  await flush()
  await writer?.finish()
}

function textCell(value: unknown): string | null {
  if (value === null || value === undefined) return null
  return typeof value === 'string' ? value : JSON.stringify(value)
}
