import { createHash, randomBytes } from 'node:crypto'
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { ClientCache } from './local/cache.js'

/**
 * A cache in a folder. Files are replaced in one step.
 *
 * @param folder - The folder; it is made if it is missing.
 * @returns The cache.
 * @example
 * const cache = folderCache(join(scratch, 'prompts'))
 * await cache.set('a', Uint8Array.of(1))
 * (await cache.get('a')).length // => 1
 */
export function folderCache(folder: string): ClientCache {
  const pathOf = (key: string) => join(folder, createHash('sha256').update(key).digest('hex'))
  return {
    get: async (key) => {
      const bytes = await readFile(pathOf(key)).catch(() => undefined)
      return bytes && new Uint8Array(bytes)
    },
    set: async (key, bytes) => {
      await mkdir(folder, { recursive: true })
      const beside = `${pathOf(key)}.${randomBytes(6).toString('hex')}`
      await writeFile(beside, bytes)
      await rename(beside, pathOf(key))
    },
  }
}
