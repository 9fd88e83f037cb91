import { createReadStream } from 'node:fs'
import { rename, writeFile } from 'node:fs/promises'
import { extname } from 'node:path'
import { createInterface } from 'node:readline'
import { spreadsheet } from '../output/spreadsheet.js'

const ROW_GROUP = 20_000

/** Converts the lines of cells of a run to its output format. A half-written file is written again. */
export async function convert(lines: string, to: string): Promise<void> {
  const ending = extname(to).toLowerCase()
  if (ending === '.xlsx') await writeFile(`${to}.new`, await spreadsheet(cellsOf(lines)))
  else await toParquet(lines, `${to}.new`)
  await rename(`${to}.new`, to)
}

async function* cellsOf(path: string): AsyncGenerator<readonly unknown[]> {
  for await (const line of createInterface({ input: createReadStream(path, 'utf8'), crlfDelay: Infinity }))
    yield JSON.parse(line) as unknown[]
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
