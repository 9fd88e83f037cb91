import { createWriteStream } from 'node:fs'
import { mkdir, rename } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { standardInput, type TableFile } from '../sources/open-table.js'

/** Keeps what comes by standard input in a file: a run reads its records more than once, and may be carried on tomorrow. */
export async function keepStdin(table: TableFile, runs: string): Promise<TableFile> {
  const { format, bytes } = await standardInput(table.format)
  await mkdir(runs, { recursive: true })
  const from = join(runs, `.incoming-${process.pid}`)
  await pipeline(bytes, createWriteStream(from))
  return { ...table, from, format }
}

/** Gives the kept records their place in the run's folder. */
export async function moveInto(folder: string, table: TableFile): Promise<TableFile> {
  const from = join(folder, `records.${table.format}`)
  await rename(table.from, from)
  return { ...table, from }
}
