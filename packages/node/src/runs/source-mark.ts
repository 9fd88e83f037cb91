import { createHash } from 'node:crypto'
import { open, stat } from 'node:fs/promises'
import { resolve } from 'node:path'
import type { TableFile } from '../sources/open-table.js'

/** A table as it was when a run began. */
export interface SourceMark extends TableFile {
  readonly bytes: number
  readonly sha256: string
}

/** A table's size and SHA-256. */
export async function markOf(table: TableFile): Promise<SourceMark> {
  const from = resolve(table.from)
  const { size } = await stat(from)
  return { ...table, from, bytes: size, sha256: await hashOf(from) }
}

/** A file's SHA-256, read into one room: a gigabyte of rooms would stay with the process as memory that is never used again. */
async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256')
  const room = new Uint8Array(1 << 18)
  const file = await open(path, 'r')
  try {
    for (;;) {
      const { bytesRead } = await file.read(room, 0, room.length)
      if (bytesRead === 0) return hash.digest('hex')
      hash.update(room.subarray(0, bytesRead))
    }
  } finally {
    await file.close()
  }
}
