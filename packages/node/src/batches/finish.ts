import { createReadStream } from 'node:fs'
import { copyFile, link, mkdir, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises'
import { dirname, extname, join, relative } from 'node:path'
import { createInterface } from 'node:readline'
import { problem, ProblemError } from 'dunelight'

/** A spreadsheet is made in memory, and nobody reads a longer one. */
const LONGEST_SHEET = 100_000
/** The signs that one cell of a spreadsheet can hold. */
const LONGEST_CELL = 32_767
const ROW_GROUP = 20_000

/** Makes of the lines of cells that a run wrote what its output is to be. A half-made one is made anew. */
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

/** How a file stands where it was handed on to. */
export interface Published {
  readonly path: string
  readonly bytes: number
  readonly changed: number
}

/**
 * Hands a run's output on to where it is wanted, in one step: there it is whole or not at all. The run keeps its own.
 */
export async function publish(from: string, to: string): Promise<Published> {
  await mkdir(dirname(to), { recursive: true })
  await place(from, to)
  const { size, mtimeMs } = await stat(to)
  return { path: to, bytes: size, changed: mtimeMs }
}

/**
 * Hands on a file for each record.
 *
 * @throws ProblemError where another file stands in the place of one, unless it may be written over; then none has been handed on.
 */
export async function publishAll(from: string, to: string, overwrite: boolean): Promise<Published> {
  const paths = await filesBelow(from)
  if (!overwrite) {
    const taken: string[] = []
    for (const path of paths) if (await differs(join(from, path), join(to, path))) taken.push(path)
    if (taken.length > 0) throw new ProblemError([problem('output-exists', { path: join(to, taken[0]!), more: taken.length - 1 })])
  }
  for (const path of paths) {
    await mkdir(dirname(join(to, path)), { recursive: true })
    await place(join(from, path), join(to, path))
  }
  return { path: to, bytes: paths.length, changed: 0 }
}

/** A second name for the file, where the disk can; else a copy. */
async function place(from: string, to: string): Promise<void> {
  const next = `${to}.new`
  await rm(next, { force: true })
  await link(from, next).catch(() => copyFile(from, next))
  await rename(next, to)
}

async function differs(from: string, to: string): Promise<boolean> {
  const there = await readFile(to).catch(() => undefined)
  return there !== undefined && !there.equals(await readFile(from))
}

async function filesBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(() => [])
  return entries
    .filter((one) => one.isFile())
    .map((one) => relative(folder, join(one.parentPath, one.name)))
    .sort()
}
